import { useState } from 'react';
import { PLAIN_CHANNEL, type ChannelSettings } from '@/core/signal/channel-settings-table';
import { labelSide } from '@/core/signal/channel-names';
import { cablesInto } from '@/core/signal/cabled';
import { pluggedAt, settingsAt } from '@/core/signal/levels';
import type { PluggedIn } from '@/core/signal/plugged-in-table';
import type { SignalEnd } from '@/core/signal/signal-end';
import { powerInto } from '@/core/signal/power';
import type { LevelFacts, SignalFormat } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { labelOf, type Plan } from '@/core/plan/plan';
import { LABEL_MAX } from '@/core/plan/labels-table';
import { Choice } from '@/ui/parts/choice';
import { Button, CheckField, Labelled, PanelHeading } from '@/ui/parts/controls';
import { DecimalField } from '@/ui/parts/decimal-field';
import { OneField } from '@/ui/parts/one-field';
import { PLUGGED_WORDS, dbu, endWords, levelWords, signedDb, terminalChannel } from '@/ui/parts/signal-words';
import { deviceName } from '@/ui/parts/names';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { PatchChannel } from '@/workers/patch-view';
import { Alignment } from './alignment';
import { AudioCables } from './audio-cables';
import { PlugInDialog } from './plug-in-dialog';
import { TapSelect } from './tap-select';

/** Whether something can be plugged in here. */
const isSocket = (t: Terminal) => t.direction !== 'inside' && (t.kind === 'connector' || t.kind === 'radio');

/** How a channel is set, what is plugged in, its cables and its alignment. */
export function ChannelSettingsForm({
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
      {plugged === undefined ? null : <PluggedFacts plan={plan} plugged={plugged} level={level} />}
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Label"
          value={label ?? ''}
          check={(v) => (v.length > LABEL_MAX ? `At most ${LABEL_MAX} characters.` : null)}
          onSave={saveLabel}
        />
        {formats.length > 1 ? (
          <Choice
            label="Format"
            value={settings.format ?? (formats[0] as SignalFormat)}
            of={formats}
            word={(f) => f}
            onChoose={(format) => change('format', { format })}
          />
        ) : null}
        {hasGain ? (
          <DecimalField
            label={`Gain, ${level.gainMinDb} to ${level.gainMaxDb} dB`}
            value={settings.gainDb}
            min={level.gainMinDb ?? 0}
            max={level.gainMaxDb ?? 0}
            onSave={(gainDb) => change('gain', { gainDb })}
          />
        ) : null}
        {terminal.direction === 'in' ? null : (
          <Labelled label="Asks for tap">
            <TapSelect value={settings.asksTap} none="any" onSet={(asksTap) => change('tap asked for', { asksTap })} />
          </Labelled>
        )}
      </div>
      {level?.hasPhantom || level?.padDb != null ? (
        <div className="mt-2 flex gap-4">
          {level.hasPhantom ? (
            <CheckField
              label="Phantom 48 V"
              isChecked={settings.hasPhantom}
              onSet={(hasPhantom) => change('phantom power', { hasPhantom })}
            />
          ) : null}
          {level.padDb == null ? null : (
            <CheckField
              label={`Pad ${signedDb(-level.padDb)}`}
              isChecked={settings.hasPad}
              onSet={(hasPad) => change('pad', { hasPad })}
            />
          )}
        </div>
      ) : null}
      {levelWords(channel) === null ? null : (
        <p className="mt-2 text-dim">
          Usual level: {levelWords(channel)}
          {channel.levelDbfs === null ? '' : `, ${signedDb(-channel.levelDbfs).replace('+', '')} of headroom`}
        </p>
      )}
      {terminal.direction === 'out' && terminal.kind === 'connector' ? (
        <Alignment plan={plan} end={end} settings={settings} onChange={change} />
      ) : null}
      {isCableEnd ? <AudioCables plan={plan} end={end} /> : null}
      {isPlugging ? <PlugInDialog plan={plan} end={end} onClose={() => setPlugging(false)} /> : null}
    </>
  );
}

function PluggedFacts({ plan, plugged, level }: { plan: Plan; plugged: PluggedIn; level: LevelFacts | null }) {
  const givesW = level === null ? null : powerInto(level, plugged.impedanceOhm);
  const facts = [
    plugged.placeId === null ? null : plan.places.get(plugged.placeId)?.name,
    plugged.levelDbu === null ? null : `${dbu(plugged.levelDbu)} usual`,
    plugged.maxLevelDbu === null ? null : `${dbu(plugged.maxLevelDbu)} at most`,
    plugged.powering === 'none' ? null : plugged.powering === 'own' ? 'own supply' : 'needs phantom power',
    plugged.payload === 'data-reduced' ? 'data-reduced payload' : null,
    plugged.impedanceOhm === null ? null : `${plugged.impedanceOhm} Ω`,
    plugged.powerW === null ? null : `takes ${plugged.powerW} W`,
    givesW === null ? null : `amplifier gives up to ${Math.round(givesW)} W into it`,
    plugged.metres === null ? null : `${plugged.metres} m of cable`,
    plugged.adapter,
    plugged.attenuationDb ? `attenuator ${signedDb(-plugged.attenuationDb)}` : null,
    plugged.position === null ? null : `at ${plugged.position.x}, ${plugged.position.y}, ${plugged.position.z} m`,
  ].filter((f) => f != null);
  return facts.length === 0 ? null : <p className="mb-2 text-[12px] text-dim">{facts.join(' · ')}</p>;
}
