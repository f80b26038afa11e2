'use client';

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useCallback, useEffect, useRef, useState } from 'react';
import { useForm } from 'react-hook-form';
import { toast } from 'sonner';
import { Button, Labelled, Modal, TextField } from '@/ui/parts/controls';
import { useInBrowser } from '@/ui/parts/in-browser';
import { reportProblem } from '@/ui/parts/report-problem';
import { PLAN_FILE_MAX_BYTES } from '@/core/formats/plan-file';
import { DropAnywhere } from '@/ui/import/drop-anywhere';
import { readTextFile } from '@/ui/import/read-file';
import { addressOf, ask, ApiProblem } from '@/ui/session/ask';
import { thisAuthor } from '@/ui/session/author';
import { askToImport } from '@/ui/import/asked';
import { PlanCard } from './plan-card';
import { WalkOffer } from './walk-offer';
import type { PlanSummary } from '@/store/plan-store';
import { DialogActions } from '@/ui/parts/dialog-actions';

type Naming = { readonly what: 'copy' | 'rename'; readonly plan: PlanSummary };

/** All plans: open, new, copy, rename, put away and bring back. */
export function PlansPage() {
  const client = useQueryClient();
  const router = useRouter();
  const { data, error, isPending } = useQuery({ queryKey: ['plans'], queryFn: () => ask('GET /api/plans', {}) });
  const [naming, setNaming] = useState<Naming | null>(null);
  const isInBrowser = useInBrowser();
  const again = () => client.invalidateQueries({ queryKey: ['plans'] });
  const restore = useMutation({
    mutationFn: (planId: string) => ask('POST /api/plans/:planId/restore', { planId }),
    onSuccess: again,
    onError: (e) => reportProblem(e, 'Not restored'),
  });
  const remove = useMutation({
    mutationFn: (planId: string) => ask('DELETE /api/plans/:planId', { planId }),
    onSuccess: async (plan) => {
      await again();
      toast(`Removed: ${plan.name}`, { action: { label: 'Undo', onClick: () => restore.mutate(plan.id) } });
    },
    onError: (e) => reportProblem(e, 'Not removed'),
  });
  const demo = useMutation({
    mutationFn: async (to: 'open' | 'walk') => ({ to, ...(await ask('POST /api/plans/demo', {})) }),
    onSuccess: ({ plan, to }) => router.push(`/plans/${plan.id}/lanes${to === 'walk' ? '?walk=1' : ''}`),
    onError: (e) => reportProblem(e, 'Not made'),
  });
  const plans = data?.plans ?? [];
  const open = plans.filter((p) => p.removedAt === null);
  const removed = plans.filter((p) => p.removedAt !== null);
  return (
    <main className="mx-auto grid max-w-[1060px] grid-cols-1 gap-10 px-6 py-10 md:grid-cols-[1fr_300px]">
      <div>
        <h1 className="flex items-center gap-2.5 text-[20px] font-semibold">
          <svg width="22" height="12" aria-hidden="true">
            <path d="M0 1.5h15a4.5 4.5 0 0 1 0 9H0" fill="none" stroke="var(--jade)" strokeWidth="2.5" />
          </svg>
          Plans
        </h1>
        <WalkOffer onStart={() => demo.mutate('walk')} isBusy={demo.isPending} />
        <p className="mt-1 text-dim">
          Jade Lane plans, checks and runs audio and video over a network: which channel is sent where, in which stream,
          and on which clock. A plan is the whole design.
        </p>
        {error ? (
          <p role="alert" className="mt-6 text-madder">
            {error.message}
          </p>
        ) : null}
        {isPending ? <p className="mt-6 text-dim">Reading …</p> : null}
        {!isPending && open.length === 0 ? (
          <p className="mt-6">No plan yet. Create one on the right, or look at the made-up harbour of Skerry Point.</p>
        ) : null}
        {open.length > 0 ? (
          <ul aria-label="Plans" className="mt-6">
            {open.map((plan) => (
              <PlanCard
                key={plan.id}
                plan={plan}
                onCopy={() => setNaming({ what: 'copy', plan })}
                onRename={() => setNaming({ what: 'rename', plan })}
                onRemove={() => remove.mutate(plan.id)}
              />
            ))}
          </ul>
        ) : null}
        {removed.length > 0 ? (
          <details className="mt-6 text-dim">
            <summary className="cursor-pointer">{removed.length} removed</summary>
            <ul className="mt-2">
              {removed.map((plan) => (
                <li key={plan.id} className="flex h-8 items-center gap-3">
                  <span className="truncate">{plan.name}</span>
                  <Button tone="quiet" aria-label={`Restore ${plan.name}`} onClick={() => restore.mutate(plan.id)}>
                    Restore
                  </Button>
                </li>
              ))}
            </ul>
          </details>
        ) : null}
      </div>
      {isInBrowser ? (
        <aside aria-label="Create a plan" className="flex flex-col gap-6">
          <NewPlan />
          <OpenFile />
          <div className="border-t border-line pt-5">
            <p className="text-dim">
              Skerry Point is a made-up harbour with a dome, a wave hall and a gallery, to try things on.
            </p>
            <Button className="mt-2" disabled={demo.isPending} onClick={() => demo.mutate('open')}>
              Open Skerry Point
            </Button>
          </div>
        </aside>
      ) : null}
      {naming ? <NameDialog naming={naming} onDone={() => void again()} onClose={() => setNaming(null)} /> : null}
    </main>
  );
}

/** A plan file opened as a plan of its own. Each problem is told with its place in the file. */
function OpenFile() {
  const router = useRouter();
  const [problems, setProblems] = useState<readonly { at: string; problem: string }[]>([]);
  const [reading, setReading] = useState<string | null>(null);
  const open = async (file: File | undefined) => {
    if (file === undefined) return;
    setProblems([]);
    setReading(file.name);
    try {
      const read = await readTextFile(file, PLAN_FILE_MAX_BYTES);
      if ('problem' in read) setProblems([{ at: file.name, problem: read.problem }]);
      else router.push(`/plans/${(await ask('POST /api/plans/file', { body: read.text })).id}/lanes`);
    } catch (error) {
      const told =
        error instanceof ApiProblem ? (error.details as { problems?: typeof problems } | undefined) : undefined;
      if (told?.problems) setProblems(told.problems);
      else reportProblem(error, 'Not opened');
    }
    setReading(null);
  };
  const latest = useRef(open);
  useEffect(() => {
    latest.current = open;
  });
  const dropped = useCallback((files: readonly File[]) => void latest.current(files[0]), []);
  return (
    <div className="border-t border-line pt-5">
      <DropAnywhere words="Drop to open it as a plan." onFiles={dropped} />
      <label className="flex flex-col gap-2">
        <span className="text-dim">Open a plan file: choose it, or drop it on the page.</span>
        <input
          type="file"
          accept=".json,application/json"
          aria-label="Plan file"
          disabled={reading !== null}
          onChange={(e) => void open(e.target.files?.[0])}
          className="max-w-full text-dim file:mr-2 file:h-7 file:rounded file:border file:border-line file:bg-raise file:px-2.5 file:text-ink"
        />
      </label>
      {reading !== null ? <p role="status">Reading {reading} …</p> : null}
      {problems.length > 0 ? (
        <div role="alert" className="mt-2 text-madder">
          <p>It was not opened:</p>
          <ul className="max-h-[30vh] overflow-y-auto text-[12px]">
            {problems.map((p, n) => (
              <li key={n}>
                <span className="font-mono break-all">{p.at}</span> {p.problem}
              </li>
            ))}
          </ul>
        </div>
      ) : null}
      <p className="mt-2 text-[12px] text-dim">
        File format: a{' '}
        <a href={addressOf('GET /api/plans/schema', {})} download="jade-lane-plan.schema.json" className="underline">
          JSON Schema
        </a>
        .
      </p>
    </div>
  );
}

/** What a new plan begins with. */
const BEGINNINGS = {
  empty: 'An empty plan: add devices from models',
  field: 'The devices in the field now',
  table: 'A table of the network as it is (CSV)',
} as const;
type Beginning = keyof typeof BEGINNINGS;

interface NewPlanForm {
  readonly name: string;
  readonly firstNetwork: string;
  readonly beginning: Beginning;
}

const CIDR = /^\d{1,3}(\.\d{1,3}){3}\/\d{1,2}$/;

function NewPlan() {
  const router = useRouter();
  const { register, handleSubmit, formState } = useForm<NewPlanForm>({
    defaultValues: { name: '', firstNetwork: '10.20.0.0/24', beginning: 'empty' },
  });
  const { errors, isSubmitting } = formState;
  const begin = handleSubmit(async ({ name, firstNetwork, beginning }) => {
    try {
      const plan = await ask('POST /api/plans', {
        body: { name: name.trim(), ...(firstNetwork.trim() === '' ? {} : { firstNetwork: firstNetwork.trim() }) },
      });
      if (beginning === 'table') askToImport('network-table');
      const to = { empty: 'gear', field: 'gear?found=1', table: 'network' }[beginning];
      router.push(`/plans/${plan.id}/${to}`);
    } catch (error) {
      reportProblem(error, 'The plan was not made');
    }
  });
  return (
    <form onSubmit={(e) => void begin(e)} className="flex flex-col gap-3" noValidate>
      <h2 className="text-[15px] font-semibold">New plan</h2>
      <Labelled label="Name" error={errors.name?.message}>
        <TextField
          autoFocus
          aria-invalid={!!errors.name}
          {...register('name', {
            validate: (v) => v.trim() !== '' || 'A plan needs a name.',
            maxLength: { value: 120, message: 'At most 120 characters.' },
          })}
        />
      </Labelled>
      <Labelled label="First media network (leg A), empty for none yet" error={errors.firstNetwork?.message}>
        <TextField
          className="font-mono"
          aria-invalid={!!errors.firstNetwork}
          {...register('firstNetwork', {
            validate: (v) => v.trim() === '' || CIDR.test(v.trim()) || 'Of the form 10.20.0.0/24.',
          })}
        />
      </Labelled>
      <fieldset className="text-[13px]">
        <legend className="mb-1 text-[12px] text-dim">Start with</legend>
        {(Object.keys(BEGINNINGS) as Beginning[]).map((b) => (
          <label key={b} className="flex items-center gap-2 py-0.5">
            <input type="radio" value={b} className="accent-jade" {...register('beginning')} />
            {BEGINNINGS[b]}
          </label>
        ))}
      </fieldset>
      <Button tone="main" type="submit" disabled={isSubmitting} className="self-start">
        Create plan
      </Button>
    </form>
  );
}

function NameDialog({ naming, onDone, onClose }: { naming: Naming; onDone: () => void; onClose: () => void }) {
  const { what, plan } = naming;
  const start = what === 'copy' ? `${plan.name}, copy` : plan.name;
  const { register, handleSubmit, formState } = useForm<{ name: string }>({ defaultValues: { name: start } });
  const save = handleSubmit(async ({ name }) => {
    try {
      if (what === 'copy') await ask('POST /api/plans/:planId/copy', { planId: plan.id, body: { name: name.trim() } });
      else {
        const commands = [{ kind: 'change-settings' as const, settings: { name: name.trim() } }];
        const title = `rename the plan to ${name.trim()}`.slice(0, 200);
        const body = { author: thisAuthor(), baseRevision: plan.revision, title, commands };
        await ask('POST /api/plans/:planId/batch', { planId: plan.id, body });
      }
      onDone();
      onClose();
    } catch (error) {
      reportProblem(error, what === 'copy' ? 'Not copied' : 'Not renamed');
    }
  });
  return (
    <Modal title={what === 'copy' ? `Copy ${plan.name}` : `Rename ${plan.name}`} onClose={onClose}>
      <form onSubmit={(e) => void save(e)} noValidate>
        <Labelled label="Name" error={formState.errors.name?.message}>
          <TextField
            autoFocus
            {...register('name', {
              validate: (v) => v.trim() !== '' || 'A plan needs a name.',
              maxLength: { value: 120, message: 'At most 120 characters.' },
            })}
          />
        </Labelled>
        <DialogActions className="mt-4" onCancel={onClose} disabled={formState.isSubmitting}>
          {what === 'copy' ? 'Copy' : 'Rename'}
        </DialogActions>
      </form>
    </Modal>
  );
}
