/** Whether the walk was offered, taken or declined in this browser. */
const KEY = 'jade-lane-walk';

export function isWalkOffered(): boolean {
  try {
    return localStorage.getItem(KEY) === null;
  } catch {
    return false; // a browser that keeps nothing would be asked at every visit
  }
}

export function noteWalk(state: 'taken' | 'declined'): void {
  try {
    localStorage.setItem(KEY, state);
  } catch {
    // Then it is offered again.
  }
}
