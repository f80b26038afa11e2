import { screen, waitFor } from '@testing-library/react';
import { overviewNow } from '@/server/overview';
import { sessionOf } from '@/server/sessions';
import { inTestPages, showInPlan } from '../test-page/test-page';
import { TotalsStrip } from './totals-strip';

inTestPages();

test('the list of plans counts the findings that the plan itself shows, those that only the field tells too', async () => {
  const onPaper: number[] = [];
  const page = await showInPlan('demo', <TotalsStrip />, {
    hasField: true,
    prepare: (planId, field) => {
      const { plan } = sessionOf(planId)!;
      onPaper.push(overviewNow(planId).cautions);
      // Another clock than the plan's leads it, and it calls itself otherwise than the plan does.
      field.plug(plan, 'dome-renderer', { gmid: '00-00-00-ff-fe-00-00-99', label: 'Renderer' });
      field.plug(plan, 'loft-console', { gmid: '00-00-00-ff-fe-00-00-98', label: 'Desk' });
    },
  });
  await page.fieldChanged();
  const { refusals, cautions } = overviewNow(page.planId);
  expect(cautions).toBeGreaterThan(onPaper[0]!);
  await waitFor(() => {
    expect(screen.getByTestId('refusals').textContent).toBe(`${refusals} refusals, ${cautions} cautions`);
  });
});
