import { useState } from 'react';
import type { SignalEnd } from '@/core/signal/signal-end';
import type { Plan } from '@/core/plan/plan';
import { Button, PanelHeading } from '@/ui/parts/controls';
import { AUDIO_CABLE_WORDS, endWords, signedDb } from '@/ui/parts/signal-words';
import { commitWithUndo } from '@/ui/session/actions';
import { AudioCableDialog } from './audio-cable-dialog';

/** The audio cables at a socket or link: what is joined, in which format, and one press to add or remove. */
export function AudioCables({ plan, end }: { plan: Plan; end: SignalEnd }) {
  const [isAdding, setAdding] = useState(false);
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
      <Button className="mt-1" onClick={() => setAdding(true)}>
        Add a cable …
      </Button>
      {isAdding ? <AudioCableDialog plan={plan} here={end} onClose={() => setAdding(false)} /> : null}
    </>
  );
}
