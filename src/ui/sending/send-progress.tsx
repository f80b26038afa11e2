import type { Plan } from '@/core/plan/plan';
import type { SendNews } from '@/server/messages';
import { BudgetBar } from '@/ui/parts/signs';
import { deviceName } from '@/ui/parts/names';
import { STEP_WORDS } from '@/ui/parts/send-words';
import type { SendStep } from '@/field/send-report';

/** How each device gets on, in the order in which they are told. */
interface Going {
  /** Another send is telling devices that this one needs. */
  readonly isWaiting: boolean;
  readonly deviceIds: readonly string[];
  readonly byDevice: ReadonlyMap<
    string,
    { readonly step: SendStep; readonly is: 'begun' | 'done' | 'failed'; readonly hasFailed: boolean }
  >;
}

export const NOT_BEGUN: Going = { isWaiting: false, deviceIds: [], byDevice: new Map() };

export function withNews(going: Going, news: SendNews<unknown>): Going {
  if (news.kind === 'waiting') return { ...going, isWaiting: true };
  if (news.kind === 'begun') return { ...going, isWaiting: false, deviceIds: news.deviceIds };
  if (news.kind !== 'progress') return going;
  const { deviceId, step, is } = news;
  const hasFailed = is === 'failed' || going.byDevice.get(deviceId)?.hasFailed === true;
  return { ...going, byDevice: new Map(going.byDevice).set(deviceId, { step, is, hasFailed }) };
}

/** Each device as it goes: what is being done at it, what it did last, or that its turn has not come. */
export function SendProgressList({ going, plan, isStopping }: { going: Going; plan: Plan; isStopping: boolean }) {
  const { deviceIds, byDevice } = going;
  const begun = deviceIds.filter((id) => byDevice.has(id)).length;
  return (
    <>
      <p role="status" className="flex items-center gap-3">
        <BudgetBar used={begun} limit={deviceIds.length} label="Devices begun" />
        {deviceIds.length === 0
          ? going.isWaiting
            ? 'Another send is using some of these devices: this one waits for it …'
            : 'Waiting for the devices …'
          : isStopping
            ? 'Stopping: devices already begun are finished first …'
            : `${begun} of ${deviceIds.length} devices`}
      </p>
      <ul
        tabIndex={0}
        aria-label="Devices as they go"
        className="mt-2 flex max-h-[42vh] flex-col gap-0.5 overflow-y-auto focus-visible:outline-2 focus-visible:outline-jade"
      >
        {deviceIds.map((id) => {
          const now = byDevice.get(id);
          const words =
            now === undefined
              ? 'waiting'
              : now.is === 'begun'
                ? `${STEP_WORDS[now.step]} …`
                : now.is === 'failed'
                  ? `failed: ${STEP_WORDS[now.step]}`
                  : STEP_WORDS[now.step];
          return (
            <li key={id} className="flex justify-between gap-4">
              <span>{deviceName(plan, id)}</span>
              <span className={now?.hasFailed === true ? 'text-madder' : now === undefined ? 'text-faint' : 'text-dim'}>
                {words}
              </span>
            </li>
          );
        })}
      </ul>
    </>
  );
}
