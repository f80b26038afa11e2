import { sdpFiles } from '../core/formats/stream-sdp';
import type { Desk } from './desk';
import { linkDetail, streamViews } from './network-view';

/** What cables and streams ask. */
export const networkQuestions = ({ shown }: Desk) => ({
  linkDetail: (linkId: string) => linkDetail(shown(), linkId),
  streams: () => streamViews(shown()),
  /** Every stream as its SDP. */
  sdpFiles: () => sdpFiles(shown(), Date.now()),
});
