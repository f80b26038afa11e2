import { Command } from 'cmdk';
import { useRouter } from 'next/navigation';
import { useTheme } from 'next-themes';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { Key } from '@/ui/parts/controls';
import { redo, undo } from '@/ui/session/actions';
import { useWorkerAnswer } from '@/ui/session/ask-worker';
import { usePlan } from '@/ui/session/plan-store';
import { saveSdp } from '@/ui/session/save-sdp';
import { askToImport, type ImportKind } from '@/ui/import/asked';
import { findEntries, type Entry } from './find-entries';
import { openDialog } from './frame-dialog';
import { STAGES } from './stages';

const IMPORTS: readonly (readonly [ImportKind, string])[] = [
  ['patch-list', 'Import a patch list'],
  ['network-table', 'Import the network as it is'],
  ['sdp', 'Import senders from SDP, or as announced (SAP)'],
  ['nmos', 'Import devices from NMOS resources'],
  ['plan', 'Import from another plan'],
];

/** One field for everything: whatever a plan has to go to, and every command. */
export function FindAndDo({ planId, onClose }: { planId: string; onClose: () => void }) {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const router = useRouter();
  const { resolvedTheme, setTheme } = useTheme();
  // Whoever closes it is where they were; what leads elsewhere takes the focus there.
  const [before] = useState(() => document.activeElement);
  useEffect(() => {
    const was = before instanceof HTMLElement ? before : null;
    return () => {
      setTimeout(() => {
        if (was !== null && was.ownerDocument.activeElement === was.ownerDocument.body) was.focus();
      });
    };
  }, [before]);
  const [query, setQuery] = useState('');
  const [highlighted, setHighlighted] = useState('');
  const deferred = useDeferredValue(query);
  const streams = useWorkerAnswer({
    question: 'streams',
    about: [view],
    ask: (worker) => worker.streams(),
    failed: 'The streams could not be listed',
  });

  const sounds = useWorkerAnswer({
    question: 'sounds',
    about: [view],
    ask: (worker) => worker.sounds(),
    failed: 'The channels could not be listed',
  });
  const findable = useMemo(() => ({ view, streams: streams ?? [], sounds: sounds ?? [] }), [view, streams, sounds]);

  const totals = view?.totals ?? null;
  const actions = useMemo((): Entry[] => {
    const act = (key: string, words: string, run: () => void, more: Partial<Entry> = {}): Entry => ({
      ...{ key, kind: 'Do', words, detail: '', run },
      ...more,
    });
    return [
      ...STAGES.map(({ id, title, also }) => ({
        ...{ key: `go-${id}`, kind: 'Do', words: `Go to ${title}`, detail: '', also },
        href: `/plans/${planId}/${id}`,
      })),
      { key: 'go-plans', kind: 'Do', words: 'Go to all plans', detail: '', href: '/' },
      ...STAGES.flatMap((stage) =>
        stage.actions(totals).map(({ key, words, query, keys, also }) => ({
          ...{ key: `${stage.id}-${key}`, kind: 'Do', words, detail: stage.title },
          ...(keys === undefined ? {} : { keys }),
          ...(also === undefined ? {} : { also }),
          href: `/plans/${planId}/${stage.id}${query}`,
        })),
      ),
      ...IMPORTS.map(([kind, words]) =>
        act(`import-${kind}`, words, () => askToImport(kind), { detail: 'or drop it on the window' }),
      ),
      act('save-sdp', 'Export all streams as SDP', () => void saveSdp(null), { detail: 'zip' }),
      act('findings', 'Show all findings and losses', () => openDialog('findings'), {
        also: 'errors warnings problems checks refusals cautions',
      }),
      act('field', 'Show which devices answer', () => openDialog('field'), { also: 'online offline field nodes' }),
      act('places', 'Device discovery', () => openDialog('places'), {
        also: 'node address adapter network interface registry discover',
      }),
      act('history', 'Show the history of changes', () => openDialog('history'), { also: 'journal log undo' }),
      act('undo', 'Undo', () => void undo(), { keys: 'Ctrl Z' }),
      act('redo', 'Redo', () => void redo(), { keys: 'Ctrl Y' }),
      act('theme', 'Change theme', () => setTheme(resolvedTheme === 'dark' ? 'light' : 'dark'), { also: 'dark light' }),
    ];
  }, [planId, resolvedTheme, setTheme, totals]);

  const found = useMemo(
    () => findEntries(deferred, actions, plan, findable, planId),
    [deferred, actions, plan, findable, planId],
  );
  // The first is highlighted whatever is found, until one moves on from it.
  const value = found.some((e) => e.key === highlighted) ? highlighted : (found[0]?.key ?? '');
  const choose = (shown: Entry) => {
    // Whoever types on and presses Enter at once means what is typed, not what was found before.
    const isStale = query !== deferred;
    const entry = isStale ? findEntries(query, actions, plan, findable, planId)[0] : shown;
    if (entry === undefined) return;
    onClose();
    if (entry.href !== undefined) router.push(entry.href);
    else entry.run?.();
  };

  return (
    <Command.Dialog
      open
      onOpenChange={(is) => !is && onClose()}
      shouldFilter={false}
      value={value}
      onValueChange={setHighlighted}
      label="Find or do anything"
      overlayClassName="fixed inset-0 z-40 bg-black/50"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[560px] max-w-[92vw] -translate-x-1/2 rounded border border-edge bg-panel text-ink"
    >
      <Command.Input
        value={query}
        onValueChange={(typed) => {
          setQuery(typed);
          setHighlighted('');
        }}
        placeholder="A device, channel, stream or address, or what to do"
        className="h-10 w-full border-b border-line bg-transparent px-3 text-ink outline-none placeholder:text-faint"
      />
      <Command.List className="max-h-[52vh] overflow-y-auto p-1.5">
        <Command.Empty className="p-3 text-dim">No match.</Command.Empty>
        {found.map((entry) => (
          <Command.Item
            key={entry.key}
            value={entry.key}
            onSelect={() => choose(entry)}
            className="flex h-7 cursor-pointer items-center gap-3 rounded px-2 data-[selected=true]:bg-selected"
          >
            <span className="w-14 shrink-0 text-[12px] text-faint">{entry.kind}</span>
            <span className="truncate">{entry.words}</span>
            <span className="ml-auto truncate pl-3 text-dim">{entry.detail}</span>
            {entry.keys === undefined ? null : <Key>{entry.keys}</Key>}
          </Command.Item>
        ))}
      </Command.List>
    </Command.Dialog>
  );
}
