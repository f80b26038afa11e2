import { strToU8, zipSync } from 'fflate';
import { toast } from 'sonner';
import { saveText } from '@/ui/parts/save-text';
import { reckonWorker } from './plan-store';

/** Saves the SDP of one stream, or of all in one archive. */
export async function saveSdp(streamId: string | null): Promise<void> {
  const files = (await reckonWorker().sdpFiles()).filter((f) => streamId === null || f.streamId === streamId);
  const [first] = files;
  if (first === undefined) {
    toast('There is no stream to describe', { description: 'A stream needs a sender with an address, and a group.' });
  } else if (streamId !== null) saveText(first.name, 'application/sdp', first.text);
  else {
    const archive = zipSync(Object.fromEntries(files.map((f) => [f.name, strToU8(f.text)])));
    saveText('streams.zip', 'application/zip', archive as Uint8Array<ArrayBuffer>);
  }
}
