let young = new Map<string, unknown>();
let old = new Map<string, unknown>();
const GENERATION = 4096;
const LENGTH_MAX = 1000;

/**
 * The same plain data, as JSON has it, as one and the same object, which nobody changes. Thousands of senders and receivers say the same of what they take and how they
 * are set. What was not met again for some thousand other values is forgotten, so that strangers fill no memory.
 */
export function sharedValue<T>(value: T): T {
  const key = JSON.stringify(value);
  if (key === undefined || key.length > LENGTH_MAX) return value;
  const known = young.get(key) ?? old.get(key);
  if (young.size >= GENERATION) {
    old = young;
    young = new Map();
  }
  young.set(key, known ?? value);
  return (known as T | undefined) ?? value;
}
