import { ASSUMED } from '@/core/models/unknown-figures';
import type { ClockAbility } from '@/core/clocks/clock-ability';
import type { Plan } from '@/core/plan/plan';
import { MEDIA_CLOCKS, type ClockSettings } from '@/core/clocks/clocks-table';
import type { Device } from '@/core/plan/devices-table';
import { AddChoice, Choice, NamedChoice } from '@/ui/parts/choice';
import {
  MEDIA_CLOCK_WORDS,
  originWords,
  paceWords,
  problemWords,
  referenceName,
  secondsWords,
  WHEN_LOST_WORDS,
} from '@/ui/parts/clock-words';
import { Button, PanelHeading } from '@/ui/parts/controls';
import type { ClockView } from '@/workers/clock-view';

const SRC_WORDS = {
  none: 'has no sample-rate converter',
  inputs: 'converts the rate on its network inputs',
  between: 'converts the rate between its two sides',
} as const;

export type SaveClock = (title: string, change: Partial<ClockSettings>) => void;

/** What a device's samples are paced by: another question than who keeps time. */
export function ClockPace({
  plan,
  clocks,
  device,
  settings,
  ability,
  save,
}: {
  plan: Plan;
  clocks: ClockView;
  device: Device;
  settings: ClockSettings;
  ability: ClockAbility;
  save: SaveClock;
}) {
  const media = clocks.media.get(device.id);
  const groups = [...plan.clockGroups.values()];
  const { referenceIds } = settings;
  const put = (title: string, next: readonly string[]) => save(title, { referenceIds: next });
  return (
    <>
      <PanelHeading>Media clock source</PanelHeading>
      {media ? (
        <p>
          {paceWords(plan, media)}
          {media.state === 'network' || media.state === 'reference' ? '' : ` (${originWords(plan, media.origin)})`}
          {media.tried.map((t) => (
            <span key={t.referenceId} className="block text-ochre">
              {problemWords(plan, t)}.
            </span>
          ))}
        </p>
      ) : null}
      <p className="text-[12px] text-dim">
        Without its reference it {WHEN_LOST_WORDS[ability.whenReferenceLost]}
        {ability.whenReferenceLost === 'hold-over'
          ? ability.holdoverSeconds === null
            ? ' for a time that is not known'
            : ` for ${secondsWords(ability.holdoverSeconds)}`
          : ''}
        ; alone it is within {ability.freePpm ?? `${ASSUMED.freePpm} (assumed)`} ppm. It {SRC_WORDS[ability.src]}.
      </p>
      <div className="mt-1.5 grid grid-cols-2 gap-2">
        <Choice
          label="Follows"
          value={settings.mediaClock}
          of={MEDIA_CLOCKS}
          word={(m) => MEDIA_CLOCK_WORDS[m]}
          onChoose={(mediaClock) => save('change the media clock', { mediaClock })}
        />
        <NamedChoice
          label="Clock group"
          value={settings.groupId}
          of={groups}
          none="none"
          onChoose={(groupId) => save('change the clock group', { groupId })}
        />
        {ability.clockGroups === 2 ? (
          <NamedChoice
            label="Group of its other side"
            value={settings.secondGroupId}
            of={groups}
            none="none"
            onChoose={(secondGroupId) => save('change the other side', { secondGroupId })}
          />
        ) : null}
      </div>
      {referenceIds.length > 0 || ability.referencesIn.length > 0 ? (
        <div className="mt-2">
          <p className="text-[12px] text-dim">References, in order of use</p>
          <ol>
            {referenceIds.map((id, n) => (
              <li key={id} className="flex items-center gap-1">
                <span className="min-w-0 flex-1 truncate">
                  {n + 1}. {referenceName(plan, id)}
                </span>
                {n > 0 ? (
                  <Button
                    tone="quiet"
                    aria-label={`Move ${referenceName(plan, id)} up`}
                    onClick={() =>
                      put('reorder the references', referenceIds.with(n, referenceIds[n - 1] ?? '').with(n - 1, id))
                    }
                  >
                    Earlier
                  </Button>
                ) : null}
                <Button
                  tone="quiet"
                  aria-label={`Remove ${referenceName(plan, id)}`}
                  onClick={() =>
                    put(
                      'remove a reference',
                      referenceIds.filter((r) => r !== id),
                    )
                  }
                >
                  Take off
                </Button>
              </li>
            ))}
          </ol>
          <AddChoice
            label="Add a reference"
            of={[...plan.references.values()].filter((r) => !referenceIds.includes(r.id))}
            onChoose={(id) => put('add a reference', [...referenceIds, id])}
          />
        </div>
      ) : null}
    </>
  );
}
