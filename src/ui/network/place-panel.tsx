import { isIn } from '@/core/findings/areas';
import { byName } from '@/core/plan/name-order';
import { useState } from 'react';
import type { Plan } from '@/core/plan/plan';
import type { Place } from '@/core/plan/places-table';
import { FindingSection } from '@/ui/frame/finding-list';
import { Button, Labelled, PanelHeading, SelectField } from '@/ui/parts/controls';
import { OneField } from '@/ui/parts/one-field';
import { isInPlace } from '@/ui/parts/place';
import { count } from '@/ui/parts/units';
import { commit, commitWithUndo } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { AddressesDialog } from './addresses-dialog';
import { PlaceOptions } from '@/ui/parts/place-options';

/** A place: its name, where it is, what stands in it. */
export function PlacePanel({ plan, view, place }: { plan: Plan; view: View; place: Place }) {
  const [isAddressing, setAddressing] = useState(false);
  const devices = [...plan.devices.values()].filter((d) => isInPlace(plan, d.placeId, place.id)).sort(byName);
  const ids = new Set(devices.map((d) => d.id));
  const findings = view.findings.filter((f) => isIn('network', f) && f.deviceIds.some((id) => ids.has(id)));
  const isUsed = devices.length > 0 || [...plan.places.values()].some((p) => p.parentId === place.id);
  const put = (title: string, change: Partial<Place>) =>
    void commit(title, [{ kind: 'put-place', place: { ...place, ...change } }]);
  const mayHold = [...plan.places.values()].filter((p) => !isInPlace(plan, p.id, place.id));
  return (
    <>
      <h2 className="pr-7 text-[14px] leading-tight font-semibold">{place.name}</h2>
      <p className="text-dim">{count(devices.length, 'device')}</p>
      <FindingSection findings={findings} plan={plan} />
      <PanelHeading>Settings</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <OneField
          label="Name"
          value={place.name}
          check={(v) => (v.trim() === '' ? 'A place needs a name.' : v.length > 200 ? 'At most 200 characters.' : null)}
          onSave={(v) => put(`rename ${place.name} to ${v.trim()}`, { name: v.trim() })}
        />
        <Labelled label="Within">
          <SelectField
            value={place.parentId ?? ''}
            onChange={(e) => put(`put ${place.name} elsewhere`, { parentId: e.target.value || null })}
          >
            <option value="">nothing</option>
            <PlaceOptions places={mayHold} />
          </SelectField>
        </Labelled>
      </div>
      <div className="mt-3 flex gap-2">
        <Button disabled={devices.length === 0} onClick={() => setAddressing(true)}>
          Addresses …
        </Button>
        <Button
          disabled={isUsed}
          title={isUsed ? 'Not empty' : undefined}
          onClick={() => void commitWithUndo(`remove ${place.name}`, [{ kind: 'remove-place', placeId: place.id }])}
        >
          Remove
        </Button>
      </div>
      <PanelHeading>Devices here</PanelHeading>
      <ul>
        {devices.slice(0, 60).map((d) => (
          <li key={d.id} className="grid grid-cols-[1fr_auto] gap-2">
            <span className="truncate">{d.name}</span>
            <span className="truncate text-[12px] text-dim">{plan.models.get(d.modelId)?.name}</span>
          </li>
        ))}
      </ul>
      {devices.length > 60 ? <p className="text-dim">{devices.length - 60} more.</p> : null}
      {isAddressing ? (
        <AddressesDialog plan={plan} place={place.id} deviceIds={null} onClose={() => setAddressing(false)} />
      ) : null}
    </>
  );
}
