import { keepText, keptText } from '@/ui/session/kept';

/** Whether the walk was offered, taken or declined in this browser. */
const KEY = 'jade-lane-walk';

/** Asks the browser to keep something first: one that keeps nothing would be asked at every visit. */
export const isWalkOffered = (): boolean => keptText(KEY) === null && keepText(`${KEY}-kept`, 'yes');

export function noteWalk(state: 'taken' | 'declined'): void {
  keepText(KEY, state);
}
