import { CABLES, type Link } from '@/core/network/links-table';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';
import { FindingSection } from '@/ui/frame/finding-list';
import { fromZeroUp, wholeFrom } from '@/ui/parts/checks';
import { PanelHeading } from '@/ui/parts/controls';
import { namesInShort } from '@/ui/parts/like-lines';
import { ForAll, NumberForAll } from '@/ui/parts/many-devices';
import { CABLE_WORDS, linkName } from '@/ui/parts/network-words';
import { bits, count } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import type { View } from '@/ui/session/plan-store';
import { ETHERNET_SPEEDS } from '@/ui/parts/ethernet-speeds';
import { linkIdsOf } from './network-rows';

const LENGTH_MAX = 100_000;

/** Several cables: what is wrong with any of them, and how all of them are laid. */
export function ManyLinks({ plan, view, links }: { plan: Plan; view: View; links: readonly Link[] }) {
  const ids = new Set(links.map((l) => l.id));
  const findings = view.findings.filter((f) => linkIdsOf(f).some((id) => ids.has(id)));
  const all = count(links.length, 'cable');
  const put = (title: string, change: Partial<Link>) =>
    void previewBatch(
      `${title} of ${all}`,
      links.map((link): Command => ({ kind: 'put-link', link: { ...link, ...change } })),
    );
  return (
    <>
      <h2 className="pr-7 text-[14px] font-semibold">{all} selected</h2>
      <p className="text-dim">{namesInShort(links.map((l) => linkName(plan, l)))}</p>
      <PanelHeading>Settings of {all}</PanelHeading>
      <div className="grid grid-cols-2 gap-2">
        <NumberForAll
          label="Metres"
          values={links.map((l) => l.metres)}
          check={(v) => fromZeroUp(v) ?? (Number(v) > LENGTH_MAX ? `At most ${LENGTH_MAX}.` : null)}
          onSet={(metres) => put(`set the length to ${metres} m`, { metres })}
        />
        <NumberForAll
          label="Reserved, %"
          values={links.map((l) => l.setAsidePercent)}
          check={wholeFrom(0, 100)}
          onSet={(setAsidePercent) => put(`reserve ${setAsidePercent} %`, { setAsidePercent })}
        />
        <ForAll
          label="Cable"
          values={links.map((l) => l.cable ?? '')}
          options={[{ id: '', words: 'not stated' }, ...CABLES.map((c) => ({ id: c, words: CABLE_WORDS[c] }))]}
          onChoose={(id) => put('set the kind', { cable: CABLES.find((c) => c === id) ?? null })}
        />
        <ForAll
          label="Speed"
          values={links.map((l) => String(l.bitsPerSecond))}
          options={[...new Set([...ETHERNET_SPEEDS, ...links.map((l) => l.bitsPerSecond)])]
            .sort((a, b) => a - b)
            .map((s) => ({ id: String(s), words: bits(s) }))}
          onChoose={(id) => put(`run at ${bits(Number(id))}`, { bitsPerSecond: Number(id) })}
        />
        <ForAll
          label="Duplex"
          values={links.map((l) => l.duplex)}
          options={[
            { id: 'full', words: 'full' },
            { id: 'half', words: 'half' },
          ]}
          onChoose={(id) => put(`set ${id} duplex`, { duplex: id === 'half' ? 'half' : 'full' })}
        />
      </div>
      <FindingSection findings={findings} plan={plan} />
    </>
  );
}
