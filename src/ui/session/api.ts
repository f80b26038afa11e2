import type { PlanAnswer } from '@/server/plans';
import type { Author, BatchAnswer, HistoryDetail, HistoryPage, PlanOverview, UndoAnswer } from '@/server/messages';
import type { SendPreview } from '@/server/send-lanes';
import type { ChannelRef } from '@/field/send-plan';
import type { SendReport } from '@/field/send-report';
import type { PlanSummary } from '@/store/plan-store';
import type { Command } from '@/core/plan/commands';

/** What the server says when it refuses, with the field it is about. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field: string | null,
    readonly details: unknown,
  ) {
    super(message);
  }
}

const call = <T>(method: string, path: string, body?: unknown) => callApi<T>(method, `/api/plans${path}`, body);

/** Calls the server; what it refuses, or that it is not there, is thrown as an ApiProblem. */
export async function callApi<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      ...(body === undefined
        ? {}
        : {
            headers: { 'content-type': 'application/json' },
            // What is text already is sent as it is.
            body: typeof body === 'string' ? body : JSON.stringify(body),
          }),
    });
  } catch {
    throw new ApiProblem(
      0,
      'offline',
      'The server does not answer. Nothing was changed; try again when it is back.',
      null,
      null,
    );
  }
  const value = (await response.json().catch(() => null)) as {
    error?: { code: string; message: string; field: string | null; details?: unknown };
  } | null;
  if (!response.ok || value === null) {
    const error = value?.error;
    throw new ApiProblem(
      response.status,
      error?.code ?? 'unknown',
      error?.message ?? `The server answered ${response.status}.`,
      error?.field ?? null,
      error?.details,
    );
  }
  return value as T;
}

export type SendAnswer = Omit<SendReport, 'put' | 'drop'>;

export const api = {
  plans: () => call<{ plans: PlanSummary[] }>('GET', ''),
  overview: (id: string) => call<PlanOverview>('GET', `/${id}/overview`),
  newPlan: (name: string, firstNetwork?: string) => call<PlanSummary>('POST', '', { name, firstNetwork }),
  openFile: (text: string) => call<PlanSummary>('POST', '/file', text),
  demoPlan: () => call<{ plan: PlanSummary; isNew: boolean }>('POST', '/demo', {}),
  copyPlan: (id: string, name: string) => call<PlanSummary>('POST', `/${id}/copy`, { name }),
  removePlan: (id: string) => call<PlanSummary>('DELETE', `/${id}`),
  restorePlan: (id: string) => call<PlanSummary>('POST', `/${id}/restore`, {}),
  plan: (id: string, author: Author) => call<PlanAnswer>('GET', `/${id}?author=${encodeURIComponent(author.id)}`),
  batch: (id: string, body: { author: Author; baseRevision: number; title: string; commands: readonly Command[] }) =>
    call<BatchAnswer>('POST', `/${id}/batch`, body),
  undo: (id: string, author: Author) => call<UndoAnswer>('POST', `/${id}/undo`, { author }),
  redo: (id: string, author: Author) => call<UndoAnswer>('POST', `/${id}/redo`, { author }),
  history: (id: string, { before, device }: { before: number | null; device: string | null }) => {
    const query = new URLSearchParams();
    if (before !== null) query.set('before', String(before));
    if (device !== null) query.set('device', device);
    return call<HistoryPage>('GET', `/${id}/history?${query.toString()}`);
  },
  historyEntry: (id: string, entryId: number) => call<HistoryDetail>('GET', `/${id}/history/${entryId}`),
  takeStepBack: (id: string, entryId: number, author: Author, records: readonly string[] | null) =>
    call<UndoAnswer>('POST', `/${id}/history/${entryId}/take-back`, {
      author,
      ...(records === null ? {} : { records }),
    }),
  previewSend: (id: string, channels: readonly ChannelRef[]) =>
    call<SendPreview>('POST', `/${id}/send/preview`, { channels }),
  send: (id: string, channels: readonly ChannelRef[], author: Author, start: boolean) =>
    call<SendAnswer>('POST', `/${id}/send`, { channels, author, start }),
  readAnew: (id: string, deviceId?: string) =>
    call<object>('POST', `/${id}/read-anew`, deviceId === undefined ? {} : { deviceId }),
};
