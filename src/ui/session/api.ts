import { problemWords } from './problem-words';
import type { PlanAnswer } from '@/server/plans';
import type {
  Author,
  BatchAnswer,
  HistoryDetail,
  HistoryPage,
  LanesReport,
  PlanOverview,
  SendNews,
  UndoAnswer,
} from '@/server/messages';
import type { SendPreview } from '@/server/send-lanes';
import type { TakeOverPreview } from '@/server/take-over';
import type { PatchPreview } from '@/server/send-patches';
import type { PatchReport } from '@/field/send-patches';
import type { Moment } from '@/field/moment';
import type { ChannelRef } from '@/field/send-plan';
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
      ...(method === 'GET'
        ? {}
        : {
            headers: { 'content-type': 'application/json' },
            // What is text already is sent as it is.
            body: typeof body === 'string' ? body : JSON.stringify(body ?? {}),
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
  if (!response.ok) throw await problemOf(response);
  const value = (await response.json().catch(() => null)) as T | null;
  if (value === null)
    throw new ApiProblem(response.status, 'unknown', 'The server’s answer could not be read.', null, null);
  return value;
}

/** What a refusal of the server says. */
async function problemOf(response: Response): Promise<ApiProblem> {
  const value = (await response.json().catch(() => null)) as {
    error?: { code: string; message: string; field: string | null; details?: unknown };
  } | null;
  const error = value?.error;
  return new ApiProblem(
    response.status,
    error?.code ?? 'unknown',
    error === undefined ? `The server answered ${response.status}.` : problemWords(error.message, error.field),
    error?.field ?? null,
    error?.details,
  );
}

export type SendAnswer = LanesReport;

interface SendBody {
  readonly channels: readonly ChannelRef[];
  readonly author: Author;
  readonly start: boolean;
  readonly isRetry: boolean;
  readonly id: string;
  readonly inMs?: number;
  readonly momentBy?: Moment['by'];
}

interface SendPatchesBody {
  readonly author: Author;
  readonly deviceIds: readonly string[];
  readonly isRetry: boolean;
  readonly id: string;
}

/** Sends, and tells each step of each device as it goes. Resolves with what became of it. */
async function sendTelling<Report>(
  path: string,
  body: unknown,
  tell: (news: SendNews<Report>) => void,
): Promise<Report> {
  const lost = () =>
    new ApiProblem(
      0,
      'offline',
      'The server has stopped answering. What was sent is in the plan’s history.',
      null,
      null,
    );
  const response = await fetch(`/api/plans${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', accept: 'application/x-ndjson' },
    body: JSON.stringify(body),
  }).catch(() => {
    throw lost();
  });
  if (!response.ok || response.body === null) throw await problemOf(response);
  const reader = response.body.getReader();
  const decoder = new TextDecoder();
  let text = '';
  for (;;) {
    const part = await reader.read().catch(() => {
      throw lost();
    });
    if (part.done) throw lost();
    text += decoder.decode(part.value, { stream: true });
    const lines = text.split('\n');
    text = lines.pop() ?? '';
    for (const line of lines) {
      const news = JSON.parse(line) as SendNews<Report>;
      if (news.kind === 'ended') return news.report;
      if (news.kind === 'refused') throw new ApiProblem(409, news.code, news.message, news.field, null);
      tell(news);
    }
  }
}

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
  send: (id: string, body: SendBody, tell: (news: SendNews<SendAnswer>) => void) =>
    sendTelling(`/${id}/send`, body, tell),
  previewPatches: (id: string, deviceIds: readonly string[]) =>
    call<PatchPreview>('POST', `/${id}/send-patches/preview`, { deviceIds }),
  sendPatches: (id: string, body: SendPatchesBody, tell: (news: SendNews<PatchReport>) => void) =>
    sendTelling(`/${id}/send-patches`, body, tell),
  devicesElsewhere: (id: string) => call<TakeOverPreview>('GET', `/${id}/take-over`),
  takeOver: (id: string, deviceIds: readonly string[], author: Author) =>
    call<TakeOverPreview>('POST', `/${id}/take-over`, { deviceIds, author }),
  stopSending: (id: string, sendId: string) =>
    call<{ isStopping: boolean }>('POST', `/${id}/send/stop`, { id: sendId }),
  readAnew: (id: string, deviceId?: string) =>
    call<object>('POST', `/${id}/read-anew`, deviceId === undefined ? {} : { deviceId }),
};
