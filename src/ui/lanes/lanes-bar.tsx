import { parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import { toast } from 'sonner';
import { writePatchList, writePatchRows } from '@/core/formats/patch-list';
import type { Plan } from '@/core/plan/plan';
import type { ChannelRef } from '@/field/send-plan';
import { StageBar } from '@/ui/frame/stage-bar';
import { askToImport } from '@/ui/import/asked';
import { Button, Key, SelectField } from '@/ui/parts/controls';
import { FilterField } from '@/ui/parts/filter-field';
import { STATE_WORDS } from '@/ui/parts/lane-words';
import { ActionMenu } from '@/ui/parts/menu';
import { saveText } from '@/ui/parts/save-text';
import { count } from '@/ui/parts/units';
import { saveSdp } from '@/ui/session/save-sdp';
import type { StateFilter } from './lane-rows';
import { edgeName } from './loom';

const STATES: readonly StateFilter[] = [
  'any',
  'free',
  'fed',
  'planned',
  'staged',
  'carrying',
  'one-legged',
  'waiting',
  'unknown',
  'refused',
];

/** What of the lanes is shown, kept in the address bar. */
export function useLaneFilters() {
  const [place] = useQueryState('place');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [state, setState] = useQueryState('state', parseAsStringLiteral(STATES).withDefault('any'));
  const [from, setFrom] = useQueryState('from');
  const [to, setTo] = useQueryState('to');
  /** Lanes from one place to another; null: from or to any. */
  const pick = (nextFrom: string | null, nextTo: string | null) => {
    void setFrom(nextFrom);
    void setTo(nextTo);
  };
  const showAll = () => {
    void setText(null);
    void setState(null);
    pick(null, null);
  };
  const isFiltered = text !== '' || state !== 'any' || place !== null || from !== null || to !== null;
  return { place, text, setText, state, setState, from, to, pick, showAll, isFiltered };
}

export type LanesDialog = 'swap' | 'move' | 'repack';

/** What the sheet shows, and what can be done with the selected receiver channels. @param onSend null: there is no field */
export function LanesBar({
  plan,
  receivers,
  rowCount,
  filters: { text, setText, state, setState, from, to, pick },
  onPaste,
  onFillDown,
  onClear,
  onSend,
  onFeed,
  onDialog,
}: {
  plan: Plan;
  receivers: readonly ChannelRef[];
  rowCount: number;
  filters: ReturnType<typeof useLaneFilters>;
  onPaste: (text: string) => void;
  onFillDown: () => void;
  onClear: () => void;
  onSend: (() => void) | null;
  onFeed: () => void;
  onDialog: (dialog: LanesDialog) => void;
}) {
  const copyByMenu = () =>
    void navigator.clipboard.writeText(writePatchRows(plan, receivers, '\t')).then(
      () => toast(`${count(receivers.length, 'row')} copied`),
      () => toast.error('The browser does not allow it from here: press Ctrl C in the sheet'),
    );
  const pasteByMenu = () =>
    void navigator.clipboard
      .readText()
      .then(onPaste, () => toast.error('The browser does not allow it from here: press Ctrl V in the sheet'));
  return (
    <StageBar>
      <FilterField what="lanes" value={text} onChange={(next) => void setText(next || null)} className="w-[150px]" />
      <SelectField aria-label="State" value={state} onChange={(e) => void setState(e.target.value as StateFilter)}>
        {STATES.map((s) => (
          <option key={s} value={s}>
            {s === 'any' ? 'any state' : s === 'free' || s === 'fed' ? s : STATE_WORDS[s]}
          </option>
        ))}
      </SelectField>
      {from !== null || to !== null ? (
        <Button
          tone="quiet"
          className="max-w-[170px] min-w-[60px] px-1.5!"
          title="Show all lanes again"
          onClick={() => pick(null, null)}
        >
          <span className="truncate">
            {from === null ? '' : edgeName(plan, from)} → {to === null ? '' : edgeName(plan, to)}
          </span>
          ×
        </Button>
      ) : null}
      <span className="ml-auto shrink-0 whitespace-nowrap" aria-live="polite">
        {receivers.length > 0 ? `${count(receivers.length, 'row')} selected` : `${count(rowCount, 'row')}`}
      </span>
      <ActionMenu
        label="More …"
        lists={[
          [
            { words: 'Copy rows', keys: 'Ctrl C', isPossible: receivers.length > 0, run: copyByMenu },
            { words: 'Paste feeds', keys: 'Ctrl V', isPossible: receivers.length > 0, run: pasteByMenu },
            { words: 'Fill down', keys: 'Ctrl D', isPossible: receivers.length > 1, run: onFillDown },
          ],
          [
            { words: 'Swap two senders …', run: () => onDialog('swap') },
            { words: 'Move lanes to another device …', run: () => onDialog('move') },
            { words: 'Repack the streams …', run: () => onDialog('repack') },
          ],
          [
            { words: 'Import a patch list …', run: () => askToImport('patch-list') },
            { words: 'Import senders from SDP or announcements …', run: () => askToImport('sdp') },
            {
              words: 'Export all as a patch list',
              run: () => saveText('patch-list.csv', 'text/csv', writePatchList(plan)),
            },
            { words: 'Export all streams as SDP (zip)', run: () => void saveSdp(null) },
          ],
        ]}
      />
      <Button onClick={onClear} disabled={receivers.length === 0}>
        Clear <Key>Del</Key>
      </Button>
      {onSend ? (
        <Button onClick={onSend} disabled={receivers.length === 0}>
          Send … <Key>Ctrl ⏎</Key>
        </Button>
      ) : null}
      <Button tone="main" onClick={onFeed} disabled={receivers.length === 0}>
        Feed from <Key>⏎</Key>
      </Button>
    </StageBar>
  );
}
