import { previewBatch } from '@/ui/session/actions';
import { inTestPages, screen, showInPlan, waitFor } from '../test-page/test-page';
import { PreviewBar } from './preview-bar';
import { enterSheet, goToRegion, goToSheet } from './regions';

inTestPages();

function Page() {
  return (
    <>
      <header>
        <button>find</button>
      </header>
      <nav aria-label="Stages">
        <a href="#here" aria-current="page">
          here
        </a>
      </nav>
      <main>
        <button
          onClick={() =>
            void previewBatch('clear', [{ kind: 'unsubscribe', channels: [{ deviceId: 'dome-amp-1', channel: 1 }] }])
          }
        >
          a way out
        </button>
        <div role="grid" aria-label="Sheet" tabIndex={0} />
      </main>
      <PreviewBar />
      <footer>
        <button>totals</button>
      </footer>
    </>
  );
}

test('F6 goes round the parts of the page that there are, Shift F6 the other way', async () => {
  await showInPlan('demo', <Page />);
  const here = () => document.activeElement?.textContent || document.activeElement?.getAttribute('aria-label');
  const round = [0, 1, 2, 3, 4].map(() => {
    goToRegion(1);
    return here();
  });
  expect(round).toEqual(['find', 'here', 'Sheet', 'totals', 'find']);
  goToRegion(-1);
  expect(here()).toBe('totals');
  goToRegion(-1);
  expect(here()).toBe('Sheet');
  goToSheet();
  expect(here()).toBe('Sheet');
});

test('whoever enters a stage is in its sheet, which may come later; whoever is elsewhere in the page stays there', async () => {
  const here = () => document.activeElement?.textContent || document.activeElement?.getAttribute('aria-label');
  const stop = enterSheet();
  await showInPlan('demo', <Page />);
  await waitFor(() => expect(here()).toBe('Sheet'));
  stop();
  screen.getByRole('button', { name: 'totals' }).focus();
  enterSheet()();
  expect(here()).toBe('totals');
  screen.getByRole('link', { name: 'here' }).focus();
  enterSheet()();
  expect(here()).toBe('Sheet');
});

test.each(['{Escape}', '{Enter}'])('after a preview is answered by %s the focus is back where it was', async (key) => {
  const page = await showInPlan('demo', <Page />);
  const button = screen.getByRole('button', { name: 'a way out' });
  await page.user.click(button);
  await waitFor(() => expect(document.activeElement?.textContent).toMatch(/^Apply/));
  await page.user.keyboard(key);
  await waitFor(() => expect(document.activeElement).toBe(button));
});
