import { visited } from '../test-page/next-navigation';
import { inTestPages, screen, showInPlan, waitFor } from '../test-page/test-page';
import { Walk } from './walk';

inTestPages();

test('the walk goes step by step to its places, back, and is left at any time', async () => {
  const page = await showInPlan('demo', <Walk planId="demo" />, { query: 'walk=1' });
  expect(screen.getByRole('heading').textContent).toBe('Step 1 of 5: A row is a sentence');
  expect(document.activeElement).toBe(screen.getByRole('heading'));
  expect(screen.queryByRole('button', { name: 'Back' })).toBeNull();
  await page.user.click(screen.getByRole('button', { name: 'Next' }));
  expect(visited.pop()).toBe('/plans/demo/lanes?sel=lab-recorder:13-14&walk=2');
  await page.user.click(screen.getByRole('button', { name: 'Leave the walk' }));
  await waitFor(() => expect(screen.queryByRole('heading')).toBeNull());
  expect(page.query().get('walk')).toBeNull();
});

test('its last step ends it; a step that there is none of shows nothing', async () => {
  const page = await showInPlan('demo', <Walk planId="demo" />, { query: 'walk=5' });
  await page.user.click(screen.getByRole('button', { name: 'Back' }));
  expect(visited.pop()).toBe('/plans/demo/network?view=cables&sel=link:up-wave-edge-a&walk=4');
  await page.user.click(screen.getByRole('button', { name: 'Done' }));
  await waitFor(() => expect(screen.queryByRole('heading')).toBeNull());
});

test('what its steps point at is in the demo plan', async () => {
  const page = await showInPlan('demo', <Walk planId="demo" />, { query: 'walk=6' });
  expect(screen.queryByRole('heading')).toBeNull();
  const plan = page.saved();
  expect(['lab-recorder', 'dome-amp-6', 'north-master'].every((id) => plan.devices.has(id))).toBe(true);
  expect(plan.links.has('up-wave-edge-a')).toBe(true);
});
