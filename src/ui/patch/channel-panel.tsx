'use client';

import { useState } from 'react';
import { clearPatch, patchAsNormalled } from '@/core/edits/fill-patch';
import type { BusSend } from '@/core/patch/bus-sends-table';
import { PLAIN_CHANNEL, type ChannelSettings } from '@/core/signal/channel-settings-table';
import { labelSide } from '@/core/signal/channel-names';
import { cablesInto } from '@/core/signal/cabled';
import { pluggedAt, settingsAt } from '@/core/signal/levels';
import type { SignalEnd } from '@/core/signal/signal-end';
import { TAPS, type SignalFormat, type Tap } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { labelOf, type Plan } from '@/core/plan/plan';
import { FindingList } from '@/ui/frame/finding-list';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import {
  AUDIO_CABLE_WORDS,
  dbu,
  endWords,
  misfitWords,
  PLUGGED_WORDS,
  signedDb,
  TAP_WORDS,
  terminalChannel,
} from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/words';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import type { PatchChannel } from '@/workers/patch-view';
import { Alignment } from './alignment';
import { AudioCableDialog } from './audio-cable-dialog';
import { FollowList } from './follow-list';
import { namesOf } from './patch-rows';
import { PlugInDialog } from './plug-in-dialog';

/** One channel of a device: what is plugged in, how it is set, what feeds it, and the way of its sound. */
export function ChannelPanel({
  plan,
  view,
  end,
  terminal,
  channel,
  isPreview,
  onOpen,
}: {
  plan: Plan;
  view: View;
  end: SignalEnd;
  terminal: Terminal;
  channel: PatchChannel;
  isPreview: boolean;
  onOpen: (end: SignalEnd) => void;
}) {
  const [name, other] = namesOf(terminal, channel);
  const findings = view.findings.filter((f) => f.area === 'patch' && isAbout(f, end));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{name ?? terminalChannel(plan, end)}</h2>
      <p className="text-dim">
        {deviceName(plan, end.deviceId)} · {terminalChannel(plan, end)}
        {other === null ? '' : ` · ${other}`}
      </p>
      {findings.length > 0 ? (
        <>
          <PanelHeading>Findings</PanelHeading>
          <FindingList findings={findings} plan={plan} />
        </>
      ) : channel.misfits.length > 0 ? (
        <p className="mt-2 text-ochre">{channel.misfits.map(misfitWords).join('; ')}</p>
      ) : null}
      {isPreview ? null : (
        <Settings
          key={`${end.terminalId}:${end.channel}`}
          plan={plan}
          end={end}
          terminal={terminal}
          channel={channel}
        />
      )}
      <FedFrom plan={plan} end={end} terminal={terminal} channel={channel} isPreview={isPreview} onOpen={onOpen} />
      <PanelHeading>Follow the signal</PanelHeading>
      <FollowList
        key={`follow ${end.terminalId}:${end.channel}`}
        plan={plan}
        view={view}
        start={end}
        usual={terminal.direction === 'out' ? 'back' : 'forward'}
        onOpen={onOpen}
      />
    </>
  );
}

function isAbout(finding: View['findings'][number], end: SignalEnd): boolean {
  const isEnd = (e: SignalEnd) =>
    e.deviceId === end.deviceId && e.terminalId === end.terminalId && e.channel === end.channel;
  switch (finding.about) {
    case 'feedback-loop':
      return finding.ring.some(isEnd);
    case 'same-sound-twice':
      return isEnd(finding.bus) || isEnd(finding.source);
    case 'payload-broken':
      return isEnd(finding.at) || isEnd(finding.source);
    case 'tap-too-late':
      return isEnd(finding.fed);
    case 'analogue-end':
    case 'socket-used-twice':
      return isEnd({ ...finding, deviceId: finding.deviceIds[0] ?? '' });
    case 'fed-by-nothing':
    case 'heard-by-nobody':
    case 'patch-block':
      return (
        finding.deviceIds[0] === end.deviceId &&
        finding.terminalId === end.terminalId &&
        finding.channels.includes(end.channel)
      );
    default:
      return false;
  }
}

/** Whether something can be plugged in here. */
const isSocket = (t: Terminal) => t.direction !== 'inside' && (t.kind === 'connector' || t.kind === 'radio');

function Settings({
  plan,
  end,
  terminal,
  channel,
}: {
  plan: Plan;
  end: SignalEnd;
  terminal: Terminal;
  channel: PatchChannel;
}) {
  const [isPlugging, setPlugging] = useState(false);
  const [isCabling, setCabling] = useState(false);
  const isCableEnd = terminal.direction !== 'inside' && (terminal.kind === 'connector' || terminal.kind === 'link');
  const { deviceId, terminalId } = end;
  const settings: ChannelSettings = settingsAt(plan, end) ?? {
    ...PLAIN_CHANNEL,
    deviceId,
    terminalId,
    channel: end.channel,
  };
  const plugged = pluggedAt(plan, end);
  const [cable] = cablesInto(plan, end);
  const { level, formats } = terminal;
  const here = `${deviceName(plan, deviceId)}, ${terminalChannel(plan, end)}`;
  const change = (what: string, change: Partial<ChannelSettings>) =>
    void commit(`${what} of ${here}`, [{ kind: 'put-channel-settings', settings: { ...settings, ...change } }]);
  const side = labelSide(terminalId);
  const label = side === null ? settings.label : labelOf(plan, deviceId, side, end.channel);
  const saveLabel = (text: string) => {
    const next = text.trim() === '' ? null : text.trim();
    if (side === null) change('label', { label: next });
    else
      void commit(`label ${here}`, [
        { kind: 'label-channels', deviceId, side, labels: [{ channel: end.channel, label: next }] },
      ]);
  };
  const hasGain = level?.gainMinDb != null && level.gainMaxDb != null;
  return (
    <>
      <PanelHeading>{isSocket(terminal) ? 'Socket' : 'Channel'}</PanelHeading>
      {isSocket(terminal) ? (
        <div className="mb-2 flex items-center gap-2">
          <span className="min-w-0 flex-1 truncate">
            {plugged !== undefined ? (
              <>
                {plugged.name} <span className="text-dim">· {PLUGGED_WORDS[plugged.kind]}</span>
              </>
            ) : cable !== undefined ? (
              `${cable.name}, from ${endWords(plan, cable.from)}`
            ) : (
              <span className="text-dim">nothing plugged in</span>
            )}
          </span>
          <Button onClick={() => setPlugging(true)}>{plugged === undefined ? 'Plug in …' : 'Change …'}</Button>
          {plugged === undefined ? null : (
            <Button
              tone="quiet"
              onClick={() =>
                void commitWithUndo(`unplug ${plugged.name} from ${here}`, [
                  { kind: 'remove-plugged-in', deviceId, terminalId, channel: end.channel },
                ])
              }
            >
              Unplug
            </Button>
          )}
        </div>
      ) : null}
      {plugged === undefined ? null : <PluggedFacts plan={plan} plugged={plugged} />}
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Label"
          value={label ?? ''}
          check={(v) => (v.length > 80 ? 'At most 80 characters.' : null)}
          onSave={saveLabel}
        />
        {formats.length > 1 ? (
          <Labelled label="Format">
            <SelectField
              value={settings.format ?? formats[0]}
              onChange={(e) => change('format', { format: e.target.value as SignalFormat })}
            >
              {formats.map((f) => (
                <option key={f} value={f}>
                  {f}
                </option>
              ))}
            </SelectField>
          </Labelled>
        ) : null}
        {hasGain ? (
          <OneField
            label={`Gain, ${level.gainMinDb} to ${level.gainMaxDb} dB`}
            mono
            value={settings.gainDb === null ? '' : String(settings.gainDb)}
            check={(v) => {
              const value = Number(v.replace('−', '-').replace(',', '.'));
              return v.trim() === '' || (value >= (level.gainMinDb ?? 0) && value <= (level.gainMaxDb ?? 0))
                ? null
                : `From ${level.gainMinDb} to ${level.gainMaxDb}.`;
            }}
            onSave={(v) =>
              change('gain', { gainDb: v.trim() === '' ? null : Number(v.replace('−', '-').replace(',', '.')) })
            }
          />
        ) : null}
        {terminal.direction === 'in' ? null : (
          <Labelled label="Asks for tap">
            <SelectField
              value={settings.asksTap ?? ''}
              onChange={(e) =>
                change('tap asked for', { asksTap: e.target.value === '' ? null : (e.target.value as Tap) })
              }
            >
              <option value="">any</option>
              {TAPS.map((t) => (
                <option key={t} value={t}>
                  {TAP_WORDS[t]}
                </option>
              ))}
            </SelectField>
          </Labelled>
        )}
      </div>
      {level?.hasPhantom || level?.padDb != null ? (
        <div className="mt-2 flex gap-4">
          {level.hasPhantom ? (
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-jade"
                checked={settings.hasPhantom}
                onChange={(e) => change('phantom power', { hasPhantom: e.target.checked })}
              />
              Phantom 48 V
            </label>
          ) : null}
          {level.padDb == null ? null : (
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                className="accent-jade"
                checked={settings.hasPad}
                onChange={(e) => change('pad', { hasPad: e.target.checked })}
              />
              Pad {signedDb(-level.padDb)}
            </label>
          )}
        </div>
      ) : null}
      {channel.levelDbu === null && channel.levelDbfs === null ? null : (
        <p className="mt-2 text-dim">
          Usual level: {channel.levelDbu === null ? '' : dbu(channel.levelDbu)}
          {channel.levelDbu !== null && channel.levelDbfs !== null ? ', ' : ''}
          {channel.levelDbfs === null
            ? ''
            : `${signedDb(channel.levelDbfs)}FS, ${signedDb(-channel.levelDbfs).replace('+', '')} of headroom`}
        </p>
      )}
      {terminal.direction === 'out' && terminal.kind === 'connector' ? (
        <Alignment plan={plan} end={end} settings={settings} onChange={change} />
      ) : null}
      {isCableEnd ? <Cables plan={plan} end={end} onAdd={() => setCabling(true)} /> : null}
      {isCabling ? <AudioCableDialog plan={plan} here={end} onClose={() => setCabling(false)} /> : null}
      {isPlugging ? <PlugInDialog plan={plan} end={end} onClose={() => setPlugging(false)} /> : null}
    </>
  );
}

function PluggedFacts({ plan, plugged }: { plan: Plan; plugged: NonNullable<ReturnType<typeof pluggedAt>> }) {
  const facts = [
    plugged.placeId === null ? null : plan.places.get(plugged.placeId)?.name,
    plugged.levelDbu === null ? null : `${dbu(plugged.levelDbu)} usual`,
    plugged.maxLevelDbu === null ? null : `${dbu(plugged.maxLevelDbu)} at most`,
    plugged.powering === 'none' ? null : plugged.powering === 'own' ? 'own supply' : 'needs phantom power',
    plugged.payload === 'data-reduced' ? 'data-reduced payload' : null,
    plugged.impedanceOhm === null ? null : `${plugged.impedanceOhm} Ω`,
    plugged.powerW === null ? null : `${plugged.powerW} W`,
    plugged.metres === null ? null : `${plugged.metres} m of cable`,
    plugged.adapter,
    plugged.attenuationDb ? `attenuator ${signedDb(-plugged.attenuationDb)}` : null,
    plugged.position === null ? null : `at ${plugged.position.x}, ${plugged.position.y}, ${plugged.position.z} m`,
  ].filter((f) => f != null);
  return facts.length === 0 ? null : <p className="mb-2 text-[12px] text-dim">{facts.join(' · ')}</p>;
}

/** The audio cables at a socket or link: what is joined, in which format, and one press to add or remove. */
function Cables({ plan, end, onAdd }: { plan: Plan; end: SignalEnd; onAdd: () => void }) {
  const holds = (first: SignalEnd, channels: number) =>
    first.deviceId === end.deviceId &&
    first.terminalId === end.terminalId &&
    end.channel >= first.channel &&
    end.channel < first.channel + channels;
  const cables = [...plan.audioCables.values()].filter((c) => holds(c.from, c.channels) || holds(c.to, c.channels));
  return (
    <>
      <PanelHeading>Audio cables</PanelHeading>
      <ul aria-label="Audio cables" className="flex flex-col gap-1">
        {cables.map((c) => (
          <li key={c.id} className="flex items-baseline gap-2">
            <span className="min-w-0 flex-1">
              {c.name}{' '}
              <span className="text-[12px] text-dim">
                {holds(c.from, c.channels) ? `to ${endWords(plan, c.to)}` : `from ${endWords(plan, c.from)}`} ·{' '}
                {c.format}
                {c.channels > 1 ? ` · ${c.channels} channels` : ''} · {AUDIO_CABLE_WORDS[c.kind]}
                {c.metres === null ? '' : ` · ${c.metres} m`}
                {c.adapter === null ? '' : ` · ${c.adapter}`}
                {c.attenuationDb ? ` · attenuator ${signedDb(-c.attenuationDb)}` : ''}
              </span>
            </span>
            <Button
              tone="quiet"
              aria-label={`Remove ${c.name}`}
              onClick={() =>
                void commitWithUndo(`remove the cable ${c.name}`, [{ kind: 'remove-audio-cable', cableId: c.id }])
              }
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <Button className="mt-1" onClick={onAdd}>
        Add a cable …
      </Button>
    </>
  );
}

/** What feeds the channel: its patch, its sends with their taps, or what comes from outside. */
function FedFrom({
  plan,
  end,
  terminal,
  channel,
  isPreview,
  onOpen,
}: {
  plan: Plan;
  end: SignalEnd;
  terminal: Terminal;
  channel: PatchChannel;
  isPreview: boolean;
  onOpen: (end: SignalEnd) => void;
}) {
  const { deviceId, terminalId } = end;
  const own = `${terminalId}/${end.channel}`;
  const patch = plan.patches.get(deviceId)?.get(own);
  const sends = [...(plan.busSends.get(deviceId)?.values() ?? [])].filter(
    (s) => s.terminalId === terminalId && s.channel === end.channel,
  );
  const tapsOf = (fromId: string) => TAPS.filter((t) => terminalTaps(plan, deviceId, fromId).includes(t));
  const here = terminalChannel(plan, end);
  const put = (send: BusSend, what: string) => void commit(`${what} of ${here}`, [{ kind: 'put-bus-send', send }]);
  const [feeder] = channel.feeders;
  const isPatchable = terminal.patchFrom.length > 0;
  if (terminal.direction === 'in' && feeder === undefined) return null;
  return (
    <>
      <PanelHeading>{sends.length > 0 ? 'Sends into it' : 'Fed from'}</PanelHeading>
      {sends.length > 0 ? (
        <ul className="flex flex-col gap-1">
          {sends.map((s) => {
            const from = { deviceId, terminalId: s.fromTerminalId, channel: s.fromChannel };
            const taps = tapsOf(s.fromTerminalId);
            const words = terminalChannel(plan, from);
            return (
              <li key={`${s.fromTerminalId}/${s.fromChannel}`} className="flex items-center gap-2">
                <button
                  type="button"
                  onClick={() => onOpen(from)}
                  className="min-w-0 flex-1 truncate text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
                >
                  {endWords(plan, from).replace(/^[^,]*, /, '')}
                </button>
                {isPreview ? null : (
                  <>
                    <SelectField
                      aria-label={`Tap of ${words}`}
                      className="h-6! w-[112px]"
                      value={s.tap ?? ''}
                      onChange={(e) =>
                        put({ ...s, tap: e.target.value === '' ? null : (e.target.value as Tap) }, 'tap')
                      }
                    >
                      <option value="">as usual</option>
                      {taps.map((t) => (
                        <option key={t} value={t}>
                          {TAP_WORDS[t]}
                        </option>
                      ))}
                    </SelectField>
                    <label className="flex items-center gap-1 text-[12px] text-dim">
                      <input
                        type="checkbox"
                        className="accent-jade"
                        aria-label={`Send from ${words} is on`}
                        checked={s.isOn}
                        onChange={(e) => put({ ...s, isOn: e.target.checked }, `send from ${words}`)}
                      />
                      on
                    </label>
                  </>
                )}
              </li>
            );
          })}
        </ul>
      ) : feeder === undefined ? (
        <p className="text-dim">Nothing{patch === undefined ? '' : ', as patched'}.</p>
      ) : (
        <button
          type="button"
          onClick={() => onOpen(feeder)}
          className="text-left hover:underline focus-visible:outline-2 focus-visible:outline-jade"
        >
          {channel.feeders.length > 1
            ? `all ${channel.feeders.length} channels of ${terminalChannel(plan, feeder).replace(/ \d+$/, '')}`
            : feeder.deviceId === deviceId
              ? endWords(plan, feeder).replace(/^[^,]*, /, '')
              : endWords(plan, feeder)}
          <span className="text-dim">
            {patch === undefined && feeder.deviceId === deviceId ? ' · as the model has it' : ''}
          </span>
        </button>
      )}
      {isPreview || terminal.direction === 'in' || !(isPatchable || sends.length > 0) ? null : (
        <p className="mt-1.5 flex gap-2">
          <Button
            tone="quiet"
            disabled={clearPatch(plan, [end]).length === 0}
            onClick={() => void commitWithUndo(`clear ${deviceName(plan, deviceId)}, ${here}`, clearPatch(plan, [end]))}
          >
            Clear
          </Button>
          {patch === undefined ? null : (
            <Button
              tone="quiet"
              onClick={() =>
                void commitWithUndo(
                  `patch ${deviceName(plan, deviceId)}, ${here} as the model has it`,
                  patchAsNormalled(plan, [end]),
                )
              }
            >
              As the model has it
            </Button>
          )}
        </p>
      )}
    </>
  );
}

function terminalTaps(plan: Plan, deviceId: string, terminalId: string): readonly Tap[] {
  const model = plan.models.get(plan.devices.get(deviceId)?.modelId ?? '');
  return model?.terminals.find((t) => t.id === terminalId)?.taps ?? [];
}
