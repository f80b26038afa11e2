import type { ReactNode } from 'react';
import { Button } from './controls';

/** The foot of a dialog: Cancel, and what the dialog does: by this button, or as a form that is submitted. */
export function DialogActions({
  onCancel,
  onMain,
  disabled = false,
  autoFocus = false,
  className = 'mt-3',
  more = null,
  children,
}: {
  onCancel: () => void;
  /** Left out: the button submits the form around it. */
  onMain?: () => void;
  disabled?: boolean;
  autoFocus?: boolean;
  className?: string;
  /** Other buttons, between the two. */
  more?: ReactNode;
  children: ReactNode;
}) {
  return (
    <div className={`flex justify-end gap-2 ${className}`}>
      <Button onClick={onCancel}>Cancel</Button>
      {more}
      <Button
        tone="main"
        type={onMain === undefined ? 'submit' : 'button'}
        disabled={disabled}
        autoFocus={autoFocus}
        onClick={onMain}
      >
        {children}
      </Button>
    </div>
  );
}
