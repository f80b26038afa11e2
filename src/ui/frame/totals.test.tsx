import { TotalsStrip } from './totals-strip';
import { inTestPages, screen, showInPlan } from '../test-page/test-page';

inTestPages();

test('the totals of the demo plan', async () => {
  await showInPlan('demo', <TotalsStrip />);
  expect((await screen.findByTestId('refusals')).textContent).toMatch(/refusals/);
});
