/**
 * What the server says of a request, for somebody who made it by hand: the place as a line and the name of a field, not as a path.
 * `commands[0].labels[2].label must NOT have more than 80 characters` is `Line 3, label: must not have more than 80 characters`.
 */
export function problemWords(message: string, field: string | null): string {
  if (field === null || !message.startsWith(field)) return message;
  const rest = message.slice(field.length).trim().replace('must NOT', 'must not');
  const steps = field.split('.');
  const name = (steps[steps.length - 1] ?? '')
    .replace(/\[\d+\]$/, '')
    .replace(/([a-z])([A-Z])/g, (_, a: string, b: string) => `${a} ${b.toLowerCase()}`);
  // The first number counts commands of a batch: that is nothing that a person counts, where there is another.
  const indexes = [...field.matchAll(/\[(\d+)\]/g)].map((m) => Number(m[1]));
  const line = indexes.length > 1 ? `Line ${(indexes[indexes.length - 1] as number) + 1}, ` : '';
  const words = `${line}${name}: ${rest}`;
  return words.charAt(0).toUpperCase() + words.slice(1);
}
