/** @jest-environment node */
import { thisAuthor } from './author';
import { keepText, keptText } from './kept';
import { newId } from './new-id';

const shut = {
  getItem: () => {
    throw new Error('SecurityError');
  },
  setItem: () => {
    throw new Error('SecurityError');
  },
};

describe('a browser that keeps nothing', () => {
  beforeEach(() => Object.defineProperty(globalThis, 'localStorage', { value: shut, configurable: true }));

  test('is the same person until its page is left', () => {
    const author = thisAuthor();
    expect(author.name).toMatch(/^Engineer [\da-f]{4}$/);
    expect(thisAuthor()).toEqual(author);
  });

  test('is told that it keeps nothing', () => {
    expect(keepText('x', 'y')).toBe(false);
    expect(keptText('x')).toBe('y');
  });
});

test('ids are made where the browser makes none', () => {
  const made = crypto.randomUUID.bind(crypto);
  Object.defineProperty(crypto, 'randomUUID', { value: undefined, configurable: true });
  const ids = new Set(Array.from({ length: 100 }, newId));
  Object.defineProperty(crypto, 'randomUUID', { value: made, configurable: true });
  expect(ids.size).toBe(100);
  for (const id of ids) expect(id).toMatch(/^[\da-f]{8}-[\da-f]{4}-4[\da-f]{3}-a[\da-f]{3}-[\da-f]{12}$/);
});
