import { compareNames } from '@/core/plan/name-order';
import { useMemo, useState } from 'react';
import {
  fillPlaces,
  mixerOf,
  placesNow,
  proposePlaces,
  type FewPlaces,
  type PlaceLeftWhy,
  type PlacesFill,
  type MixSource,
} from '@/core/edits/few-places';
import { modelOf, type Plan } from '@/core/plan/plan';
import { TAPS, type Tap } from '@/core/signal/terminal-shape';
import { terminalsOf } from '@/core/signal/terminals';
import { Button, Labelled, Modal, SelectField } from '@/ui/parts/controls';
import { CountField } from '@/ui/parts/count-field';
import { PickOne } from '@/ui/parts/pick-one';
import { terminalChannel } from '@/ui/parts/signal-words';
import { channelRuns, count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { previewBatch } from '@/ui/session/actions';
import type { PatchChannel } from '@/workers/patch-view';
import { TapSelect } from './tap-select';
import { DialogActions } from '@/ui/parts/dialog-actions';

const PLACES_MAX = 64;
/** As many as most feeds of the kind have. */
const PLACES_USUAL = 16;

/** So many sources of a fold are named. */
const FOLD_NAMED_MAX = 6;

const LEFT_WORDS: Readonly<Record<PlaceLeftWhy, string>> = {
  'no-bus-left': 'no free bus to submix into',
  'no-network-output-left': 'no network output of the console is free',
};

/** Places that stay as they are, those of one reason together. */
const leftWords = (left: PlacesFill['left'], firstChannel: number): string[] =>
  [...new Set(left.map((l) => l.why))].map((why) => {
    const own = left.filter((l) => l.why === why).map((l) => firstChannel + l.place);
    const stay = own.length === 1 ? 'Place' : 'Places';
    return `${stay} ${channelRuns(own)} ${own.length === 1 ? 'stays as it is' : 'stay as they are'}: ${LEFT_WORDS[why]}`;
  });

const keyOf = ({ terminalId, channel }: MixSource) => `${terminalId}:${channel}`;

/** Devices that hear something, and could be the feed: those with few places first. */
const feedsIn = (plan: Plan, mixerId: string) =>
  [...plan.devices.values()]
    .flatMap((d) => {
      const places = modelOf(plan, d.id)?.channelsReceive ?? 0;
      return places === 0 || d.id === mixerId ? [] : [{ id: d.id, words: d.name, places }];
    })
    .sort((a, b) => a.places - b.places || compareNames(a.words, b.words))
    .map(({ id, words, places }) => ({ id, words, detail: count(places, 'place') }));

/** Chooses what a feed with few places hears of a console, what is folded into one bus, and what is lost by it. */
export function FewPlacesDialog({
  plan,
  mixerId,
  chosen,
  channels,
  onClose,
}: {
  plan: Plan;
  mixerId: string;
  /** The sources to begin with; none: all that have a sound. */
  chosen: readonly MixSource[];
  channels: readonly PatchChannel[];
  onClose: () => void;
}) {
  const feeds = useMemo(() => feedsIn(plan, mixerId), [plan, mixerId]);
  const [feedId, setFeedId] = useState('');
  const [firstChannel, setFirst] = useState(1);
  const [places, setPlaces] = useState(PLACES_USUAL);
  const [tap, setTap] = useState<Tap | null>(null);
  const [typed, setTyped] = useState<ReadonlyMap<string, number | null> | null>(null);
  const model = modelOf(plan, feedId);
  const most = model?.channelsReceive ?? 0;
  const mixer = useMemo(() => mixerOf(plan, mixerId), [plan, mixerId]);
  const target: FewPlaces = {
    ...{ mixerId, receiverDeviceId: feedId, firstChannel },
    count: feedId === '' ? 0 : Math.max(0, Math.min(places, most - firstChannel + 1, PLACES_MAX)),
  };
  const sources = useMemo(() => {
    const from = new Set(mixer?.bus.sendsFrom);
    const isChosen = new Set(chosen.filter((c) => from.has(c.terminalId)).map(keyOf));
    return channels
      .filter((c) => from.has(c.terminalId) && (isChosen.size === 0 ? c.isFed : isChosen.has(keyOf(c))))
      .map(({ terminalId, channel, ownName, soundName }) => ({
        terminalId,
        channel,
        name: ownName ?? soundName ?? '',
      }));
  }, [mixer, chosen, channels]);
  const now = placesNow(plan, target);
  const placeNow = new Map(now.flatMap((p, n) => p.sources.map((s) => [keyOf(s), n] as const)));
  const placeOf = (s: MixSource): number | null => {
    const n = typed === null ? placeNow.get(keyOf(s)) : typed.get(keyOf(s));
    return n === undefined || n === null || n >= target.count ? null : n;
  };
  const wanted = Array.from({ length: target.count }, (_, n) => {
    const own = sources.filter((s) => placeOf(s) === n);
    // What is heard there now and not among the sources to choose from stays in its place.
    const others = (now[n]?.sources ?? []).filter((s) => !sources.some((o) => keyOf(o) === keyOf(s)));
    const all = [...own.map(({ terminalId, channel }) => ({ terminalId, channel })), ...others];
    return { sources: all, label: all.length > 1 ? (proposePlaces(own, 1)[0]?.label ?? null) : null };
  });
  const filled = fillPlaces(plan, target, wanted, tap);
  const place = (s: MixSource, n: number | null) =>
    setTyped(new Map(sources.map((o) => [keyOf(o), o === s ? n : placeOf(o)])));
  const propose = () => {
    const proposed = proposePlaces(sources, target.count);
    setTyped(new Map(proposed.flatMap((p, n) => p.sources.map((s) => [keyOf(s), n] as const))));
  };
  const isReady = filled.commands.length > 0;
  const apply = () => {
    if (!isReady) return;
    onClose();
    const what = `feed ${deviceName(plan, feedId)}, ${count(target.count, 'place')}, from ${deviceName(plan, mixerId)}`;
    const left = leftWords(filled.left, firstChannel).join('; ');
    void previewBatch(what, filled.commands, left === '' ? null : left);
  };
  const taps = TAPS.filter((t) =>
    terminalsOf(modelOf(plan, mixerId)!).some((x) => mixer?.bus.sendsFrom.includes(x.id) && x.taps.includes(t)),
  );
  return (
    <Modal title={`Submix for ${deviceName(plan, mixerId)}`} onClose={onClose} wide>
      <div className="grid grid-cols-[1fr_110px_110px] gap-3">
        <PickOne
          label="Feed"
          autoFocus
          value={feedId}
          options={feeds}
          onPick={(id) => {
            setFeedId(id);
            setFirst(1);
            setPlaces(Math.min(PLACES_USUAL, modelOf(plan, id)?.channelsReceive ?? 0));
            setTyped(null);
          }}
        />
        <Labelled label="First channel">
          <CountField aria-label="First channel" max={Math.max(most, 1)} value={firstChannel} onChange={setFirst} />
        </Labelled>
        <Labelled label="Places">
          <CountField aria-label="Places" max={PLACES_MAX} value={places} onChange={setPlaces} />
        </Labelled>
      </div>
      {feedId === '' ? (
        <p className="mt-3 text-dim">
          Which device is the submix for? A personal monitor mixer, a hearing loop, a broadcast feed: each of its
          channels is one place.
        </p>
      ) : (
        <>
          <div className="mt-3 flex flex-wrap items-center gap-2">
            <Button onClick={propose} disabled={target.count === 0}>
              Group by name until they fit
            </Button>
            <Button tone="quiet" onClick={() => setTyped(null)} disabled={typed === null}>
              As it is now
            </Button>
            {taps.length === 0 ? null : (
              <span className="ml-auto flex items-center gap-1.5 text-dim">
                groups taken
                <TapSelect label="Tap of groups" none="default tap" taps={taps} value={tap} onSet={setTap} />
              </span>
            )}
          </div>
          <div className="mt-2 grid grid-cols-2 gap-4 max-md:grid-cols-1">
            <ul
              aria-label="Sources"
              tabIndex={0}
              className="max-h-[36vh] overflow-y-auto border-t border-line focus-visible:outline-2 focus-visible:outline-jade"
            >
              {sources.map((s) => (
                <li key={keyOf(s)} className="flex items-center gap-2 border-b border-line/60 py-0.5">
                  <span className="min-w-0 flex-1 truncate">
                    {s.name === '' ? <span className="text-faint">unnamed</span> : s.name}
                    <span className="text-dim"> · {terminalChannel(plan, { deviceId: mixerId, ...s })}</span>
                  </span>
                  <SelectField
                    aria-label={`Place of ${s.name || terminalChannel(plan, { deviceId: mixerId, ...s })}`}
                    value={placeOf(s) ?? ''}
                    onChange={(e) => place(s, e.target.value === '' ? null : Number(e.target.value))}
                  >
                    <option value="">left out</option>
                    {Array.from({ length: target.count }, (_, n) => (
                      <option key={n} value={n}>
                        place {firstChannel + n}
                      </option>
                    ))}
                  </SelectField>
                </li>
              ))}
            </ul>
            <ol
              aria-label="Places"
              tabIndex={0}
              className="max-h-[36vh] overflow-y-auto border-t border-line focus-visible:outline-2 focus-visible:outline-jade"
            >
              {wanted.map(({ sources: own }, n) => (
                <li key={n} className="flex gap-2 border-b border-line/60 py-1">
                  <span className="w-6 shrink-0 text-right font-mono text-[12px] text-dim">{firstChannel + n}</span>
                  <PlaceWords plan={plan} mixerId={mixerId} own={own} named={sources} isElse={now[n]?.is === 'else'} />
                </li>
              ))}
            </ol>
          </div>
          <Lost sources={sources} placeOf={placeOf} />
          {leftWords(filled.left, firstChannel).map((words) => (
            <p key={words} role="alert" className="text-ochre">
              {words}.
            </p>
          ))}
        </>
      )}
      <DialogActions onCancel={onClose} disabled={!isReady} onMain={apply}>
        Preview
      </DialogActions>
    </Modal>
  );
}

function PlaceWords({
  plan,
  mixerId,
  own,
  named,
  isElse,
}: {
  plan: Plan;
  mixerId: string;
  own: readonly MixSource[];
  named: readonly (MixSource & { readonly name: string })[];
  isElse: boolean;
}) {
  if (own.length === 0) return <span className="text-faint">{isElse ? 'something else, which stays' : 'free'}</span>;
  const words = own.map(
    (s) => named.find((o) => keyOf(o) === keyOf(s))?.name || terminalChannel(plan, { deviceId: mixerId, ...s }),
  );
  return (
    <span className="min-w-0 break-words">
      {words.slice(0, FOLD_NAMED_MAX).join(' + ')}
      {words.length > FOLD_NAMED_MAX ? ` and ${words.length - FOLD_NAMED_MAX} more` : ''}
      {own.length > 1 ? <span className="text-dim"> · grouped</span> : null}
    </span>
  );
}

/** What the listener of the feed cannot do or hear. */
function Lost({
  sources,
  placeOf,
}: {
  sources: readonly (MixSource & { readonly name: string })[];
  placeOf: (source: MixSource) => number | null;
}) {
  const byPlace = new Map<number, string[]>();
  const out: string[] = [];
  const outChannels: number[] = [];
  for (const s of sources) {
    const n = placeOf(s);
    if (n === null) {
      out.push(s.name);
      outChannels.push(s.channel);
    } else byPlace.set(n, [...(byPlace.get(n) ?? []), s.name]);
  }
  const folds = [...byPlace.values()].filter((names) => names.length > 1);
  const folded = folds.reduce((sum, names) => sum + names.length, 0);
  const alone = byPlace.size - folds.length;
  return (
    <p role="status" className="mt-2">
      {count(sources.length, 'source')}: {alone} alone
      {folded > 0 ? `, ${folded} grouped into ${count(folds.length, 'bus', 'buses')}` : ''}
      {out.length > 0 ? (
        <span className="text-ochre">
          , {out.length} left out (
          {out.every((n) => n !== '') && out.length <= 6 ? out.join(', ') : channelRuns(outChannels)})
        </span>
      ) : (
        ', none left out'
      )}
      .{folded > 0 ? ' Grouped sources share one level and one position.' : ''}
    </p>
  );
}
