import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { useEffect, useRef } from 'react';
import type { ButtonHTMLAttributes, InputHTMLAttributes, ReactNode, Ref, SelectHTMLAttributes } from 'react';

const BASE =
  'inline-flex h-7 items-center gap-2 rounded border px-2.5 text-[13px] whitespace-nowrap disabled:opacity-50 disabled:cursor-not-allowed focus-visible:outline-2 focus-visible:outline-offset-1 focus-visible:outline-jade';
const TONE = {
  plain: 'border-line bg-raise text-ink hover:border-dim',
  main: 'border-jade bg-jade text-on-jade font-medium hover:opacity-90',
  quiet: 'border-transparent text-dim hover:text-ink hover:bg-raise',
} as const;

export function Button({
  tone = 'plain',
  className = '',
  ref,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { tone?: keyof typeof TONE; ref?: Ref<HTMLButtonElement> }) {
  return <button type="button" ref={ref} {...rest} className={`${BASE} ${TONE[tone]} ${className}`} />;
}

/** The key that does what the button does. */
export function Key({ children }: { children: ReactNode }) {
  return <kbd className="font-mono text-[11px]">{children}</kbd>;
}

const FIELD =
  'h-7 rounded border border-edge bg-bg px-2 text-[13px] text-ink placeholder:text-faint focus-visible:outline-2 focus-visible:outline-jade aria-invalid:border-madder';

export function TextField({
  className = '',
  ref,
  ...rest
}: InputHTMLAttributes<HTMLInputElement> & { ref?: Ref<HTMLInputElement> }) {
  return <input ref={ref} {...rest} className={`${FIELD} ${className}`} />;
}

export function SelectField({
  className = '',
  ref,
  ...rest
}: SelectHTMLAttributes<HTMLSelectElement> & { ref?: Ref<HTMLSelectElement> }) {
  return <select ref={ref} {...rest} className={`${FIELD} ${className}`} />;
}

export function Labelled({
  label,
  error,
  children,
}: {
  label: string;
  error?: string | undefined;
  children: ReactNode;
}) {
  return (
    <label className="flex flex-col gap-1 text-[12px] text-dim">
      {label}
      {children}
      {error ? (
        <span role="alert" className="text-madder">
          {error}
        </span>
      ) : null}
    </label>
  );
}

/** Something that holds or does not. */
export function CheckField({
  label,
  isChecked,
  onSet,
  className = '',
}: {
  label: ReactNode;
  isChecked: boolean;
  onSet: (isChecked: boolean) => void;
  className?: string;
}) {
  return (
    <label className={`flex items-center gap-1.5 ${className}`}>
      <input type="checkbox" className="accent-jade" checked={isChecked} onChange={(e) => onSet(e.target.checked)} />
      {label}
    </label>
  );
}

export function Modal({
  title,
  onClose,
  wide = false,
  children,
}: {
  title: string;
  onClose: () => void;
  wide?: boolean;
  children: ReactNode;
}) {
  const panel = useRef<HTMLDivElement>(null);
  // A menu that closes gives the focus back to its button after the dialog has taken it: the dialog takes it again.
  useEffect(() => {
    let frame = requestAnimationFrame(() => {
      frame = requestAnimationFrame(() => {
        if (panel.current?.contains(document.activeElement) === false) panel.current.focus({ preventScroll: true });
      });
    });
    return () => cancelAnimationFrame(frame);
  }, []);
  return (
    <Dialog open onClose={onClose} className="relative z-30">
      <div className="fixed inset-0 bg-black/50" aria-hidden="true" />
      <div className="fixed inset-0 flex items-start justify-center overflow-y-auto p-6 pt-[10vh] max-md:p-2 max-md:pt-[5vh]">
        <DialogPanel
          ref={panel}
          tabIndex={-1}
          className={`shows-more focus:outline-none ${wide ? 'w-[680px]' : 'w-[440px]'} max-w-full rounded border border-edge bg-panel p-4 text-[13px] text-ink`}
        >
          <DialogTitle className="mb-3 text-[15px] font-semibold">{title}</DialogTitle>
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}

export function PanelHeading({ children }: { children: ReactNode }) {
  return <h3 className="mt-3.5 mb-1.5 text-[12px] font-medium text-faint">{children}</h3>;
}
