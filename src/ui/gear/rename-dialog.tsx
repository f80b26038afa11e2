import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { carryCommands, type NameUses } from '@/core/edits/rename';
import { Button, Modal } from '@/ui/parts/controls';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import { commit } from '@/ui/session/actions';

/** A rename that is asked for, with everything that goes by the old name. */
export interface Rename {
  readonly before: string;
  readonly after: string;
  readonly title: string;
  readonly command: Command;
  readonly uses: NameUses;
  /** What the device itself says it is called, where it is there and says something else than the new name. */
  readonly fieldName: string | null;
}

const SHOWN_MAX = 12;

/** Everything that names a thing, before it is called otherwise: carry the name along, or leave what is text. */
export function RenameDialog({ plan, rename, onClose }: { plan: Plan; rename: Rename; onClose: () => void }) {
  const { uses, before, after, title, command, fieldName } = rename;
  const { lanes, deviceIds, labels, byNameIds } = uses;
  const run = async (carry: boolean) => {
    if (await commit(title, carry ? [command, ...carryCommands(plan, labels)] : [command])) onClose();
  };
  return (
    <Modal title={`${before} becomes ${after}`} onClose={onClose}>
      <ul className="flex list-disc flex-col gap-1 pl-5">
        {lanes > 0 ? (
          <li>
            {count(lanes, 'lane')} with {count(deviceIds.length, 'other device')} {lanes === 1 ? 'is' : 'are'} updated:{' '}
            <span className="text-dim">
              {deviceIds
                .slice(0, SHOWN_MAX)
                .map((id) => deviceName(plan, id))
                .join(', ')}
              {deviceIds.length > SHOWN_MAX ? ` and ${deviceIds.length - SHOWN_MAX} more` : ''}
            </span>
          </li>
        ) : null}
        {labels.length > 0 ? (
          <li>
            {count(labels.length, 'label')} {labels.length === 1 ? 'carries' : 'carry'} the old name:
            <ul className="mt-1 max-h-[26vh] overflow-y-auto text-[12px]">
              {labels.slice(0, SHOWN_MAX * 4).map((l) => (
                <li key={`${l.deviceId} ${l.side} ${l.channel} ${l.isShort}`} className="flex gap-2">
                  <span className="w-[150px] shrink-0 truncate text-dim">
                    {deviceName(plan, l.deviceId)} {l.side === 'receive' ? 'in' : 'out'} {l.channel}
                    {l.isShort ? ', short' : ''}
                  </span>
                  <span className="truncate">
                    <span className="text-dim">{l.label} →</span> {l.renamed}
                  </span>
                </li>
              ))}
              {labels.length > SHOWN_MAX * 4 ? <li>{labels.length - SHOWN_MAX * 4} more</li> : null}
            </ul>
          </li>
        ) : null}
        {byNameIds.length > 0 ? (
          <li className="text-ochre">
            {count(byNameIds.length, 'device')} {byNameIds.length === 1 ? 'subscribes' : 'subscribe'} by name:{' '}
            {byNameIds.map((id) => deviceName(plan, id)).join(', ')}. Once it goes by the new name itself,{' '}
            {byNameIds.length === 1 ? 'it receives' : 'they receive'} nothing until the lanes are sent again.
          </li>
        ) : null}
        {fieldName !== null ? (
          <li>
            The device in the field calls itself <b className="font-medium">{fieldName}</b>; that is changed at the
            device.
          </li>
        ) : null}
      </ul>
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Do not rename</Button>
        {labels.length > 0 ? <Button onClick={() => void run(false)}>Leave the labels</Button> : null}
        <Button tone="main" autoFocus onClick={() => void run(true)}>
          {labels.length > 0 ? 'Update all' : 'Rename'}
        </Button>
      </div>
    </Modal>
  );
}
