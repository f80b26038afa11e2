'use client';

import { useCallback } from 'react';
import { toast } from 'sonner';
import { recognise, TAKEN_IN_MAX_BYTES, type Recognised } from '@/core/formats/recognise';
import { count } from '@/ui/parts/units';
import { usePlan } from '@/ui/session/plan-store';
import { askToTakeIn, leaveTakeIn, useAsked, type TakenInKind } from './asked';
import { DropAnywhere } from './drop-anywhere';
import { NetworkDialog } from './network-dialog';
import { NodesDialog } from './nodes-dialog';
import { PatchDialog } from './patch-dialog';
import { PlanDialog } from './plan-dialog';
import { SdpDialog } from './sdp-dialog';

const FILES_MAX = 500;
/** Of this kind many files are looked at together. */
const MANY: TakenInKind = 'sdp';
const KIND: Readonly<Record<TakenInKind, string>> = {
  plan: 'a plan',
  nmos: 'NMOS resources',
  'patch-list': 'a patch list',
  'network-table': 'a table of the network',
  sdp: 'session descriptions',
};

/** What was dropped on the window is recognised and opened where it is looked at; nothing is applied before yes. */
async function takeInFiles(files: readonly File[]): Promise<void> {
  const found: Recognised[] = [];
  for (const file of files.slice(0, FILES_MAX)) {
    if (file.size > TAKEN_IN_MAX_BYTES) found.push({ ...tooLarge, name: file.name });
    else found.push(recognise(file.name, new Uint8Array(await file.arrayBuffer())));
  }
  const known = found.filter((f): f is Exclude<Recognised, { kind: 'unknown' }> => f.kind !== 'unknown');
  for (const f of found) {
    if (f.kind === 'unknown') toast.error(`${f.name} was not taken in`, { description: `${f.problem}.` });
  }
  const first = known[0];
  if (first === undefined) return;
  const looked = first.kind === MANY ? known.filter((f) => f.kind === MANY) : [first];
  askToTakeIn(first.kind, looked);
  const others = known.filter((f) => !looked.includes(f));
  if (others.length + Math.max(0, files.length - FILES_MAX) > 0) {
    const names = others.slice(0, 6).map((f) => `${f.name} (${KIND[f.kind]})`);
    const more = others.length > names.length ? ` and ${count(others.length - names.length, 'other')}` : '';
    toast(`Not looked at yet: drop them again after this`, {
      description:
        names.join(', ') + more + (files.length > FILES_MAX ? `; only the first ${FILES_MAX} files are read` : ''),
      duration: 12_000,
    });
  }
}

const tooLarge = {
  kind: 'unknown' as const,
  problem: `it is larger than ${Math.floor(TAKEN_IN_MAX_BYTES / 1e6)} MB`,
};

/** Whatever is taken in from files, wherever in the plan one is. */
export function TakeInHost() {
  const plan = usePlan((s) => s.plan);
  const asked = useAsked((s) => s.asked);
  const read = useCallback((files: readonly File[]) => void takeInFiles(files), []);
  const Dialog = asked === null ? null : DIALOGS[asked.kind];
  return (
    <>
      <DropAnywhere
        words="Let go to take it in: a patch list or a table of the network (CSV), session descriptions (SDP, one by one or as a zip), NMOS resources (JSON), or a plan. You see first what would change."
        onFiles={read}
      />
      {plan !== null && asked !== null && Dialog !== null ? (
        <Dialog key={asked.nth} plan={plan} found={asked.found} onClose={leaveTakeIn} />
      ) : null}
    </>
  );
}

const DIALOGS = {
  plan: PlanDialog,
  nmos: NodesDialog,
  'patch-list': PatchDialog,
  'network-table': NetworkDialog,
  sdp: SdpDialog,
} as const;
