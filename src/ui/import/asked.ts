import { create } from 'zustand';
import type { Recognised } from '@/core/formats/recognise';
import type { Plan } from '@/core/plan/plan';

/** What can be taken in: each kind has a dialog of its own. */
export type ImportKind = Exclude<Recognised['kind'], 'unknown'>;

/** A dialog that is asked for, empty or with what was dropped on the window. */
interface AskedImport {
  readonly kind: ImportKind;
  readonly found: readonly Recognised[];
  /** A new drop begins the dialog again. */
  readonly nth: number;
}

/** What every dialog that takes something in is given. */
export interface ImportProps {
  readonly plan: Plan;
  readonly found: readonly Recognised[];
  readonly onClose: () => void;
}

interface AskedState {
  readonly asked: AskedImport | null;
}

export const useAsked = create<AskedState>(() => ({ asked: null }));

let drops = 0;

/** Opens the dialog for one kind, from anywhere on the page. */
export function askToImport(kind: ImportKind, found: readonly Recognised[] = []): void {
  drops += 1;
  useAsked.setState({ asked: { kind, found, nth: drops } });
}

export function leaveImport(): void {
  useAsked.setState({ asked: null });
}

/** The first text of what was dropped, for the dialogs that take one file. */
export function firstText(found: readonly Recognised[]): { readonly name: string; readonly text: string } | null {
  const first = found[0];
  return first !== undefined && 'text' in first ? first : null;
}
