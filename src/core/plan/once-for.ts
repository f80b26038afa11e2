/**
 * What follows from objects that never change is worked out once and kept exactly as long as they are. Nothing has to
 * be cleared, and what is kept can never be out of date.
 */

/** Works out what follows from an object the first time it is asked for. */
export function onceFor<K extends object, V>(make: (of: K) => V): (of: K) => V {
  const known = new WeakMap<K, { readonly made: V }>();
  return (of) => {
    let found = known.get(of);
    if (found === undefined) known.set(of, (found = { made: make(of) }));
    return found.made;
  };
}

/** As `onceFor`, of an object and others: again when any of the others is another than it was last. */
export function onceWith<K extends object, R extends readonly unknown[], V>(
  make: (of: K, ...others: R) => V,
): (of: K, ...others: R) => V {
  const known = new WeakMap<K, { readonly others: R; readonly made: V }>();
  return (of, ...others) => {
    const last = known.get(of);
    if (last !== undefined && others.every((other, n) => other === last.others[n])) return last.made;
    const made = make(of, ...others);
    known.set(of, { others, made });
    return made;
  };
}
