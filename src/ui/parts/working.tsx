import type { Term } from '@/core/units/working';
import { quantity } from './units';
import { TERM_WORDS } from './working-words';

/** A sum with every term: factors multiply, addends add, results are ruled off. */
export function Working({ terms }: { terms: readonly Term[] }) {
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-y-0.5 font-mono text-[12px] text-dim">
      {terms.map((term, index) => {
        const isResult = term.role === 'result';
        const sign = term.role === 'factor' && index > 0 ? '× ' : term.role === 'addend' && index > 0 ? '+ ' : '';
        const ruled = isResult ? 'border-t border-line pt-0.5 text-ink' : '';
        return (
          <div key={term.name} className="col-span-2 grid grid-cols-subgrid">
            <dt className={`${ruled} font-sans`}>{TERM_WORDS[term.name] ?? term.name}</dt>
            <dd className={`${ruled} text-right tabular-nums`}>
              {sign}
              {quantity(term.value, term.unit)}
            </dd>
          </div>
        );
      })}
    </dl>
  );
}
