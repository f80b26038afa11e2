import type { ReactNode } from 'react';
import {} from './controls';
import { DialogActions } from '@/ui/parts/dialog-actions';

/** A table within a dialog, of what a change would bring: it scrolls by itself, by keyboard too. */
export function LookedAt({
  label,
  columns,
  children,
  below,
}: {
  label: string;
  /** Each with a fixed width or none. */
  columns: readonly (
    | string
    | { readonly title: string; readonly width: string; /** Each row says it again. */ readonly isSpoken?: true }
  )[];
  children: ReactNode;
  below?: ReactNode;
}) {
  return (
    <div
      tabIndex={0}
      role="region"
      aria-label={label}
      className="max-h-[36vh] overflow-y-auto focus-visible:outline-2 focus-visible:outline-jade"
    >
      <table className="w-full text-left">
        <thead className="text-[12px] text-faint">
          <tr>
            {columns.map((column) => {
              const {
                title,
                width,
                isSpoken = false,
              } = typeof column === 'string' ? { title: column, width: '' } : column;
              return (
                <th key={title} className={`font-normal ${width}`}>
                  {isSpoken ? <span className="sr-only">{title}</span> : title}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>{children}</tbody>
      </table>
      {below}
    </div>
  );
}

/** The end of a dialog that leads to a preview. */
export function LeaveOrPreview({
  words,
  isPossible,
  onLeave,
  onPreview,
}: {
  words: string;
  isPossible: boolean;
  onLeave: () => void;
  onPreview: () => void;
}) {
  return (
    <DialogActions className="" onCancel={onLeave} disabled={!isPossible} onMain={onPreview}>
      Preview {words} …
    </DialogActions>
  );
}
