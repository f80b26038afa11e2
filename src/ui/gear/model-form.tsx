'use client';

import type { MapLimits, Model, NamingAbility } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import { LABEL_MAX } from '@/core/plan/labels-table';
import { orNothing, wholeFrom } from '@/ui/parts/checks';
import { Tick } from '@/ui/parts/choice';
import { PanelHeading } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { count } from '@/ui/parts/units';
import { commit } from '@/ui/session/actions';

const BLOCK_MAX = 64;

/** What all devices of a model do with labels and channels: figures that the catalogue may not know. */
export function ModelForm({ plan, model }: { plan: Plan; model: Model }) {
  const put = (title: string, change: Partial<Model>) =>
    void commit(`${title} of ${model.name}`, [{ kind: 'put-model', model: { ...model, ...change } }]);
  const devices = [...plan.devices.values()].filter((d) => d.modelId === model.id).length;
  const naming: NamingAbility = model.naming ?? { labelMax: LABEL_MAX, shortMax: null, subscribesByName: false };
  const map: MapLimits = model.receiveMap ?? { blockSize: 1, reordering: true };
  const putMap = (title: string, next: MapLimits) =>
    put(title, { receiveMap: next.blockSize === 1 && next.reordering ? null : next });
  const passesMax = Math.min(model.channelsReceive, model.channelsSend);
  return (
    <>
      <PanelHeading>
        The model: {model.name}, {count(devices, 'device')}
      </PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Characters in a label"
          mono
          value={model.naming === null ? '' : String(naming.labelMax)}
          check={orNothing(wholeFrom(1, LABEL_MAX))}
          onSave={(v) =>
            put('set the length of labels', { naming: v.trim() === '' ? null : { ...naming, labelMax: Number(v) } })
          }
        />
        <OneField
          label="in a short label"
          mono
          value={naming.shortMax === null ? '' : String(naming.shortMax)}
          check={orNothing(wholeFrom(1, LABEL_MAX))}
          onSave={(v) =>
            put('set the length of short labels', {
              naming: { ...naming, shortMax: v.trim() === '' ? null : Number(v) },
            })
          }
        />
        {model.channelsReceive > 0 ? (
          <OneField
            label="Fed in blocks of"
            mono
            value={String(map.blockSize)}
            check={wholeFrom(1, BLOCK_MAX)}
            onSave={(v) => putMap('set the block size', { ...map, blockSize: Number(v) })}
          />
        ) : null}
        {passesMax > 0 ? (
          <OneField
            label="Passed from in to out"
            mono
            value={String(model.passesThrough)}
            check={wholeFrom(0, passesMax)}
            onSave={(v) => put('set the passes', { passesThrough: Number(v) })}
          />
        ) : null}
      </div>
      {model.channelsReceive > 0 ? (
        <>
          <Tick
            label="keeps the order of a stream"
            is={!map.reordering}
            onChange={(is) => putMap('change “keeps the order of a stream”', { ...map, reordering: !is })}
          />
          <Tick
            label="subscribes by name"
            is={naming.subscribesByName}
            onChange={(subscribesByName) =>
              put('change “subscribes by name”', { naming: { ...naming, subscribesByName } })
            }
          />
        </>
      ) : null}
    </>
  );
}
