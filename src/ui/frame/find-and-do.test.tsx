import { visited } from '../test-page/next-navigation';
import { inTestPages, screen, showInPlan, waitFor } from '../test-page/test-page';
import { FindAndDo } from './find-and-do';
import { useFrameDialog } from './frame-dialog';

inTestPages();

const shown = () => screen.getAllByRole('option').map((o) => o.textContent ?? '');

async function find(typed: string) {
  const page = await showInPlan('demo', <FindAndDo planId="demo" onClose={() => undefined} />);
  await waitFor(() => expect(screen.getAllByRole('option').length).toBeGreaterThan(10));
  await page.user.type(screen.getByRole('combobox'), typed);
  return page;
}
const first = async (typed: string, expected: RegExp) => {
  const page = await find(typed);
  await waitFor(() => expect(shown()[0]).toMatch(expected));
  await waitFor(() => expect(screen.getAllByRole('option')[0]!.getAttribute('aria-selected')).toBe('true'));
  await page.user.keyboard('{Enter}');
  return visited.pop();
};

test.each([
  ['Dome amp 1', /^DeviceDome amp 1/, /gear\?sel=dome-amp-1$/],
  ['wave edge', /^DeviceWave edge A/, /network\?view=switches&sel=device:wave-edge-a$/],
  ['leg a pier', /^SubnetLeg A pier10\.71\.68\.0\/25 VLAN/, /view=subnets/],
  ['10.71.52.30', /^Address10\.71\.52\.30Dome renderer, A/, /gear\?sel=dome-renderer$/],
  ['dome renderer s1', /^StreamDome renderer S1239\.71\.9\.20/, /view=streams&sel=stream:dome-renderer%2F1$/],
  ['239.71.9.20', /^StreamDome renderer S1/, /view=streams/],
  ['"tank mic 7"', /^SenderWave stage box · Tank mic 7|^Receiver/, /lanes\?/],
  ['tank mic 3', /^SenderWave stage box · Tank mic 3/, /lanes\?find=/],
  ['dome amp 6', /^DeviceDome amp 6/, /gear\?sel=dome-amp-6$/],
  ['hidrophone far', /^SenderWave stage box · Hydrophone far/, /lanes\?find=/],
  ['strip talkback', /^ChannelLoft console · Strip 72 · Talkback/, /patch\?device=loft-console&sel=strips:72$/],
  ['strip tide bell', /^ChannelLoft console · Strip 1 · Tide bell/, /patch\?device=loft-console&sel=strips:1$/],
  [
    'feed dome amp 6 from tank mic 1',
    /^DoFeed Dome amp 6 1–8 from “tank mic 1”/,
    /sel=dome-amp-6:1-8&feed=tank%20mic%201$/,
  ],
  ['route cue track 2 to dome amp 6 3-4', /^DoFeed Dome amp 6 3–4 from “cue track 2”/, /sel=dome-amp-6:3-4&feed=/],
  ['zenith 1', /^ReceiverDome amp 5 · Zenith 1subscribed/, /lanes\?sel=dome-amp-5:1-1$/],
  ['refusal 48 96', /^FindingLab recorder 13, 14 from Loft console/, /lanes\?sel=lab-recorder:13-14$/],
  ['slot twice', /^FindingYard stage unit and Gallery loop unit both talk/, /slots\?/],
  ['ip conflict', /^Finding10\.71\.36\.111 is the address of/, /network\?/],
  ['patch', /^DoGo to Lanes/, /plans\/demo\/lanes$/],
  ['simulate', /^DoFailure drill: what if the grandmaster fails\?Clocks/, /clocks\?lost=device:north-master$/],
])('“%s” finds %s', async (typed, expected, href) => {
  expect(await first(typed, expected)).toMatch(href);
});

test('a command says the key that does the same, and common words find ours', async () => {
  const page = await find('add dev');
  await waitFor(() => expect(shown()[0]).toBe('DoAdd devicesGearN'));
  await page.user.clear(screen.getByRole('combobox'));
  await page.user.type(screen.getByRole('combobox'), 'warnings');
  await waitFor(() => expect(shown()[0]).toMatch(/Show all findings and losses/));
  await page.user.keyboard('{Enter}');
  expect(useFrameDialog.getState().open).toBe('findings');
});

test('what nobody is called is said to be nothing', async () => {
  await find('qqqq');
  expect(await screen.findByText('No match.')).toBeTruthy();
});
