import { useCallback } from 'react';
import { toast } from 'sonner';
import { recognise, IMPORT_MAX_BYTES, type Recognised } from '@/core/formats/recognise';
import { usePlan } from '@/ui/session/plan-store';
import { askToImport, leaveImport, useAsked, type ImportKind } from './asked';
import { DropAnywhere } from './drop-anywhere';
import { NetworkDialog } from './network-dialog';
import { NodesDialog } from './nodes-dialog';
import { PatchDialog } from './patch-dialog';
import { PlanDialog } from './plan-dialog';
import { SdpDialog } from './sdp-dialog';
import { DevicePatchDialog, SocketListDialog } from './signal-dialogs';

const FILES_MAX = 500;
const SAID_MAX = 4;
/** Of this kind many files are looked at together. */
const MANY: ImportKind = 'sdp';
const KIND: Readonly<Record<ImportKind, string>> = {
  plan: 'a plan',
  nmos: 'NMOS resources',
  'patch-list': 'a patch list',
  'network-table': 'a table of the network',
  'socket-list': 'an input list',
  'device-patch': 'a list of device patches',
  sdp: 'session descriptions',
};

/** What was dropped on the window is recognised and opened where it is looked at; nothing is applied before yes. */
async function importFiles(files: readonly File[]): Promise<void> {
  const found: Recognised[] = [];
  for (const file of files.slice(0, FILES_MAX)) {
    if (file.size > IMPORT_MAX_BYTES) found.push({ ...tooLarge, name: file.name });
    else found.push(recognise(file.name, new Uint8Array(await file.arrayBuffer())));
  }
  const known = found.filter((f): f is Exclude<Recognised, { kind: 'unknown' }> => f.kind !== 'unknown');
  const first = known[0];
  const looked = first === undefined ? [] : first.kind === MANY ? known.filter((f) => f.kind === MANY) : [first];
  if (first !== undefined) askToImport(first.kind, looked);
  const said = [
    ...found.flatMap((f) => (f.kind === 'unknown' ? [`${f.name}: ${f.problem}`] : [])),
    ...known.filter((f) => !looked.includes(f)).map((f) => `${f.name} is ${KIND[f.kind]}: drop it again after this`),
    ...(files.length > FILES_MAX ? [`only the first ${FILES_MAX} files were read`] : []),
  ];
  if (said.length === 0) return;
  const more = said.length > SAID_MAX ? ` ${said.length - SAID_MAX} more.` : '';
  toast.error('Not imported', {
    description: `${said.slice(0, SAID_MAX).join('. ')}.${more}`,
    duration: 12_000,
  });
}

const tooLarge = {
  kind: 'unknown' as const,
  problem: `it is larger than ${Math.floor(IMPORT_MAX_BYTES / 1e6)} MB`,
};

/** Whatever is taken in from files, wherever in the plan one is. */
export function ImportHost() {
  const plan = usePlan((s) => s.plan);
  const asked = useAsked((s) => s.asked);
  const read = useCallback((files: readonly File[]) => void importFiles(files), []);
  const Dialog = asked === null ? null : DIALOGS[asked.kind];
  return (
    <>
      <DropAnywhere
        words="Drop to import: a patch list, an input list, device patches or a table of the network (CSV), session descriptions (SDP, one by one or as a zip), NMOS resources (JSON), or a plan. You see what would change before it does."
        onFiles={read}
      />
      {plan !== null && asked !== null && Dialog !== null ? (
        <Dialog key={asked.nth} plan={plan} found={asked.found} onClose={leaveImport} />
      ) : null}
    </>
  );
}

const DIALOGS = {
  plan: PlanDialog,
  nmos: NodesDialog,
  'patch-list': PatchDialog,
  'network-table': NetworkDialog,
  'socket-list': SocketListDialog,
  'device-patch': DevicePatchDialog,
  sdp: SdpDialog,
} as const;
