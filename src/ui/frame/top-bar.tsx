import { History, Moon, Redo2, Sun, Undo2 } from 'lucide-react';
import Link from 'next/link';
import { useTheme } from 'next-themes';
import { useQueryState } from 'nuqs';
import { useState } from 'react';
import type { Author } from '@/server/messages';
import { Key, Labelled, Modal, SelectField, TextField } from '@/ui/parts/controls';
import { useInBrowser } from '@/ui/parts/in-browser';
import { redo, undo } from '@/ui/session/actions';
import { thisAuthor } from '@/ui/session/author';
import { isFollowed } from '@/core/plan/followed';
import { followedWord } from '@/ui/parts/loss-words';
import { count } from '@/ui/parts/units';
import { useLosses } from '@/ui/session/losses';
import { goBy, usePlan } from '@/ui/session/plan-store';
import { openDialog } from './frame-dialog';
import { PlaceOptions } from '@/ui/parts/place-options';
import { DialogActions } from '@/ui/parts/dialog-actions';

const ICON_BUTTON =
  'flex h-7 items-center gap-1.5 rounded px-1.5 text-dim hover:bg-raise hover:text-ink disabled:opacity-45 focus-visible:outline-2 focus-visible:outline-jade';

export function TopBar() {
  const plan = usePlan((s) => s.plan);
  const undoable = usePlan((s) => s.undo);
  const redoable = usePlan((s) => s.redo);
  const people = usePlan((s) => s.people);
  const [place, setPlace] = useQueryState('place');
  const places = [...(plan?.places.values() ?? [])];
  return (
    <header className="col-span-2 flex items-center gap-3 border-b border-line px-3.5 max-md:col-span-1 max-md:gap-1.5 max-md:px-2">
      <Link
        href="/"
        prefetch={false}
        className="flex w-[140px] shrink-0 items-center gap-2 font-semibold tracking-wide max-md:w-auto"
        title="All plans"
      >
        <svg width="18" height="10" aria-hidden="true">
          <path d="M0 1h12a4 4 0 0 1 0 8H0" fill="none" stroke="var(--jade)" strokeWidth="2" />
        </svg>
        <span className="max-md:sr-only">Jade Lane</span>
      </Link>
      <h1 className="max-w-[190px] truncate font-medium max-md:max-w-[90px]" title={plan?.settings.name}>
        {plan?.settings.name}
      </h1>
      {places.length > 0 ? (
        <SelectField
          aria-label="Place"
          value={place ?? ''}
          onChange={(e) => void setPlace(e.target.value || null)}
          className="max-w-[130px] max-md:hidden"
        >
          <option value="">All places</option>
          <PlaceOptions places={places} />
        </SelectField>
      ) : null}
      <button
        type="button"
        onClick={() => openDialog('find')}
        className="flex h-7 max-w-[300px] min-w-[150px] flex-1 max-md:min-w-[44px] items-center justify-between gap-2 rounded border border-edge px-2.5 text-faint hover:text-ink focus-visible:outline-2 focus-visible:outline-jade"
      >
        <span className="truncate">Find or do anything</span>
        <span className="max-md:hidden">
          <Key>Ctrl K</Key>
        </span>
      </button>
      <button
        type="button"
        className={ICON_BUTTON}
        disabled={undoable === null}
        onClick={() => void undo()}
        title="Ctrl Z"
        aria-label={undoable ? `Undo ${undoable.title}` : 'Undo: nothing'}
      >
        <Undo2 size={15} aria-hidden="true" />
        <span className="max-w-[150px] truncate max-md:sr-only">{undoable ? undoable.title : 'Undo'}</span>
      </button>
      <button
        type="button"
        className={ICON_BUTTON}
        disabled={redoable === null}
        onClick={() => void redo()}
        title="Ctrl Y"
        aria-label={redoable ? `Redo ${redoable.title}` : 'Redo: nothing'}
      >
        <Redo2 size={15} aria-hidden="true" />
        {redoable ? <span className="max-w-[110px] truncate max-md:sr-only">{redoable.title}</span> : null}
      </button>
      <button
        type="button"
        className={ICON_BUTTON}
        onClick={() => openDialog('history')}
        title="Who changed what, and when"
        aria-label="History"
      >
        <History size={15} aria-hidden="true" />
      </button>
      <span className="ml-auto flex items-center gap-3 whitespace-nowrap text-dim max-md:gap-0.5">
        <WhoIsHere people={people} />
        <FieldState />
        <ThemeSwitch />
      </span>
    </header>
  );
}

/** Who looks at the plan; pressed, it lets one say by which name. */
function WhoIsHere({ people }: { people: readonly Author[] }) {
  const [isNaming, setNaming] = useState(false);
  const [name, setName] = useState('');
  const isClient = useInBrowser();
  if (!isClient) return null;
  const own = people.find((p) => p.id === thisAuthor().id)?.name ?? thisAuthor().name;
  const others = people.length - 1;
  const isRight = name.trim() !== '' && name.trim().length <= 60;
  return (
    <>
      <button
        type="button"
        className={`${ICON_BUTTON} max-w-[150px] max-md:hidden`}
        title={people.map((p) => p.name).join(', ')}
        aria-label={`You are ${own}${others > 0 ? `; ${others} more here` : ''}. Change the name`}
        onClick={() => {
          setName(own);
          setNaming(true);
        }}
      >
        <span className="truncate">{others > 0 ? `${own} +${others}` : own}</span>
      </button>
      {isNaming ? (
        <Modal title="Your name" onClose={() => setNaming(false)}>
          <form
            onSubmit={(e) => {
              e.preventDefault();
              if (!isRight) return;
              goBy(name.trim());
              setNaming(false);
            }}
          >
            <Labelled
              label="Name, shown to others next to your changes"
              error={isRight ? undefined : 'From 1 to 60 characters.'}
            >
              <TextField autoFocus value={name} onChange={(e) => setName(e.target.value)} />
            </Labelled>
            <DialogActions className="mt-4" onCancel={() => setNaming(false)} disabled={!isRight}>
              OK
            </DialogActions>
          </form>
        </Modal>
      ) : null}
    </>
  );
}

/** Whether we hear of changes, and how many devices of the plan answer. */
function FieldState() {
  const isLive = usePlan((s) => s.isLive);
  const hasField = usePlan((s) => s.hasField);
  const field = usePlan((s) => s.field);
  const plan = usePlan((s) => s.plan);
  const losses = useLosses();
  if (plan === null) return null;
  if (!isLive) return <span className="text-ochre">Offline: reconnecting …</span>;
  if (!hasField) {
    return (
      <button
        type="button"
        title="No devices are followed: set up discovery"
        onClick={() => openDialog('places')}
        className={ICON_BUTTON}
      >
        <span>no field</span>
      </button>
    );
  }
  const registry = field.registry.get('');
  if (registry?.isConnected === false) {
    return (
      <span className="text-ochre" title={registry.because ?? undefined}>
        {followedWord(registry.url) === 'registry' ? 'Registry' : 'Field'} offline: reconnecting …
      </span>
    );
  }
  let followed = 0;
  for (const id of plan.devices.keys()) if (isFollowed(plan, id)) followed += 1;
  const offline = losses.all.filter((l) => l.kind === 'device').length;
  const elsewhere = [...field.devices.values()].flatMap((d) => d.runBy ?? []);
  return (
    <>
      <button
        type="button"
        data-testid="answering"
        title="Which devices answer, and since when others have not"
        onClick={() => openDialog('field')}
        className={`${ICON_BUTTON} ${offline > 0 ? 'text-ochre' : ''}`}
      >
        <span>
          {field.devices.size} of {followed}
          <span className="max-md:sr-only"> answering{offline > 0 ? `, ${offline} offline` : ''}</span>
        </span>
      </button>
      {elsewhere.length === 0 ? null : (
        <button
          type="button"
          data-testid="run-elsewhere"
          title={`${count(elsewhere.length, 'device')} run by ${[...new Set(elsewhere.map((p) => p.name))].join(', ')}: nothing is sent to them from this plan. Take over …`}
          onClick={() => openDialog('take-over')}
          className={`${ICON_BUTTON} text-violet`}
        >
          <span>
            {elsewhere.length}
            <span className="max-md:sr-only"> run by another plan</span>
          </span>
        </button>
      )}
    </>
  );
}

function ThemeSwitch() {
  const { resolvedTheme, setTheme } = useTheme();
  // The server cannot know the theme: the switch shows itself once the browser does.
  const isClient = useInBrowser();
  if (!isClient) return null;
  const isDark = resolvedTheme === 'dark';
  const label = isDark ? 'Light theme (Chalk)' : 'Dark theme (Tide)';
  return (
    <button
      type="button"
      className={ICON_BUTTON}
      aria-label={label}
      title={label}
      onClick={() => setTheme(isDark ? 'light' : 'dark')}
    >
      {isDark ? <Sun size={15} /> : <Moon size={15} />}
    </button>
  );
}
