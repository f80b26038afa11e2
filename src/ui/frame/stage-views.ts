import { parseAsString, parseAsStringLiteral, useQueryState } from 'nuqs';
import { useMemo, useState } from 'react';
import { searchFor } from '@/ui/parts/find-text';
import { useMarks } from '@/ui/parts/marks';
import { parseSelection, selectionText } from '@/ui/parts/selection';
import type { SelectHow } from '@/ui/parts/sheet';

/**
 * The views of a stage side by side: which is shown, what is selected in it, and what its rows are filtered by, all in the address bar.
 * @param kindOf by view, the first of them first: of what kind its rows are
 * @param kinds all that can be selected
 */
export function useStageViews<V extends string, K extends string>(kindOf: Readonly<Record<V, K>>, kinds: readonly K[]) {
  const views = Object.keys(kindOf) as V[];
  const [name, setName] = useQueryState('view', parseAsStringLiteral(views).withDefault(views[0] as V));
  const [selectedText, setSelectedText] = useQueryState('sel');
  const [text, setText] = useQueryState('find', parseAsString.withDefault(''));
  const [place] = useQueryState('place');
  const selection = useMemo(() => parseSelection(kinds, selectedText), [kinds, selectedText]);
  const search = useMemo(() => searchFor(text), [text]);
  const kind = kindOf[name as V];
  const cursor = selection?.kind === kind ? selection.id : null;
  const [order, setOrder] = useState<readonly string[]>([]);
  const goTo = (to: K, id: string) => void setSelectedText(selectionText(to, id));
  const { selected, select, mark } = useMarks(order, cursor, (id) => goTo(kind, id));
  const choose = (next: V) => {
    mark([]);
    void setName(next);
    void setSelectedText(null);
  };
  const sheet = {
    selectedKeys: selected,
    cursorKey: cursor,
    onSelect: (key: string, how: SelectHow, keys: readonly string[]) => {
      setOrder(keys);
      select(key, how);
    },
  };
  const filter = { value: text, onChange: (next: string) => void setText(next || null) };
  return {
    name: name as V,
    views,
    kind,
    selection,
    cursor,
    selected,
    search,
    filter,
    place,
    sheet,
    choose,
    goTo,
    mark,
  };
}
