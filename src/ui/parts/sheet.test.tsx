import { fireEvent, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { inTestPages } from '../test-page/test-page';
import { Sheet, type SelectHow } from './sheet';

inTestPages();

const ROWS = ['one', 'two', 'three'];

function Shown() {
  const [how, setHow] = useState<SelectHow | null>(null);
  return (
    <>
      <p role="status">{how}</p>
      <Sheet
        label="Numbers"
        idPrefix="number"
        columns={[
          { id: 'name', title: 'Name', width: 'minmax(120px,1fr)', cell: (r: string) => r },
          { id: 'size', title: 'Size', width: '60px', cell: (r: string) => r.length },
        ]}
        rows={ROWS}
        keyOf={(r) => r}
        selectedKeys={new Set()}
        cursorKey={null}
        sort={{ column: 'name', isDescending: false }}
        onSort={() => {}}
        onSelect={(_, how) => setHow(how)}
      />
    </>
  );
}
const grid = () => screen.getByRole('grid', { name: 'Numbers' });
const columns = () => grid().style.getPropertyValue('--sheet-columns');
const edge = (title: string) => within(grid()).getByRole('separator', { name: `Width of ${title}` });

test('columns are sized with the arrow keys at their edges, remembered, and given their usual width again', async () => {
  const user = userEvent.setup();
  const { unmount } = render(<Shown />);
  expect(columns()).toBe('minmax(60px,60px) 60px');
  edge('Name').focus();
  await user.keyboard('{ArrowDown}');
  expect(document.activeElement).toBe(edge('Size'));
  Object.defineProperty(edge('Size').parentElement, 'getBoundingClientRect', { value: () => ({ width: 60 }) });
  await user.keyboard('{ArrowRight}');
  expect(columns()).toBe('minmax(60px,60px) 68px');
  unmount();
  render(<Shown />);
  expect(columns()).toBe('minmax(60px,60px) 68px');
  // A sheet that needs more room than there is scrolls sideways.
  expect(grid().style.getPropertyValue('--sheet-width')).toBe('128px');
  edge('Size').focus();
  await user.keyboard('{Escape}');
  expect(columns()).toBe('minmax(60px,60px) 60px');
});

test('a width has bounds, and a double press on the edge gives the usual one', () => {
  render(<Shown />);
  Object.defineProperty(edge('Size').parentElement, 'getBoundingClientRect', { value: () => ({ width: 0 }) });
  fireEvent.keyDown(edge('Size'), { key: 'ArrowLeft' });
  expect(columns()).toBe('minmax(60px,60px) 32px');
  fireEvent.doubleClick(edge('Size'));
  expect(columns()).toBe('minmax(60px,60px) 60px');
});

test('Ctrl A takes every row, as in any list', async () => {
  const user = userEvent.setup();
  render(<Shown />);
  grid().focus();
  await user.keyboard('{Control>}a{/Control}');
  expect(screen.getByRole('status').textContent).toBe('all');
});
