import type { Author } from '@/server/messages';
import { keepText, keptText } from './kept';
import { newId } from './new-id';

const KEY = 'jade-lane-author';

/** Who this browser is: made up at the first visit and kept, so that undo finds one's own changes after a restart. */
export function thisAuthor(): Author {
  try {
    const kept = JSON.parse(keptText(KEY) ?? 'null') as Author | null;
    if (kept && typeof kept.id === 'string' && typeof kept.name === 'string') return kept;
  } catch {
    // unreadable: made again below
  }
  const id = newId();
  const author = { id, name: `Engineer ${id.slice(0, 4)}` };
  keepText(KEY, JSON.stringify(author));
  return author;
}

/** Says who this browser is from now on; what was done before keeps the name it was done under. */
export function renameAuthor(name: string): Author {
  const author = { ...thisAuthor(), name };
  keepText(KEY, JSON.stringify(author));
  return author;
}
