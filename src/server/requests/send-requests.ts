import type { PatchReport } from '../../field/send-patches';
import { answerAsItGoes } from '../as-it-goes';
import { stopSending } from '../field-to-tell';
import type { LanesReport } from '../messages';
import { previewSend, readAgain, sendLanes } from '../send-lanes';
import { previewPatches, sendDevicePatches } from '../send-patches';
import { previewTakeOver, takeOver } from '../take-over';
import { ofPlan, request } from './declared';
import {
  PreviewPatchesRequest,
  ReadAgainRequest,
  SendPatchesRequest,
  SendPreviewRequest,
  SendRequest,
  StopSendingRequest,
  TakeOverRequest,
} from './requests';

/** What goes to the devices of a plan, and what is read of them again. */
export const SEND_REQUESTS = {
  ...ofPlan('POST /api/plans/:planId/send/preview', {
    body: SendPreviewRequest,
    answer: ({ planId, body: { channels } }) => previewSend(planId, channels),
  }),
  ...ofPlan('POST /api/plans/:planId/send', {
    body: SendRequest,
    answer: ({ request: asked, planId, body }) => {
      const { channels, author, start, isRetry = false, id = null, inMs, momentBy = 'clock' } = body;
      const at = inMs === undefined ? {} : { at: { atMs: Date.now() + inMs, by: momentBy } };
      return answerAsItGoes<LanesReport>(asked, (tell) =>
        sendLanes(planId, channels, { ...author }, start, { id, isRetry, ...at, ...(tell ? { tell } : {}) }),
      );
    },
  }),
  /** Lets a send that is under way begin with no more devices. */
  ...request('POST /api/plans/:planId/send/stop', {
    body: StopSendingRequest,
    answer: ({ body: { id } }) => ({ isStopping: stopSending(id) }),
  }),
  ...ofPlan('POST /api/plans/:planId/send-patches/preview', {
    body: PreviewPatchesRequest,
    answer: ({ planId, body: { deviceIds } }) => previewPatches(planId, deviceIds),
  }),
  ...ofPlan('POST /api/plans/:planId/send-patches', {
    body: SendPatchesRequest,
    answer: ({ request: asked, planId, body: { deviceIds, author, isRetry = false, id = null } }) =>
      answerAsItGoes<PatchReport>(asked, (tell) =>
        sendDevicePatches(planId, deviceIds, { ...author }, { id, isRetry, ...(tell ? { tell } : {}) }),
      ),
  }),
  ...ofPlan('GET /api/plans/:planId/take-over', { answer: ({ planId }) => previewTakeOver(planId) }),
  ...ofPlan('POST /api/plans/:planId/take-over', {
    body: TakeOverRequest,
    answer: ({ planId, body: { deviceIds, author } }) => takeOver(planId, deviceIds, { ...author }),
  }),
  ...ofPlan('POST /api/plans/:planId/read-again', {
    body: ReadAgainRequest,
    answer: ({ planId, body: { deviceId } }) => readAgain(planId, deviceId),
  }),
};
