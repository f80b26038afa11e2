import type { ReactNode } from 'react';

/** Files chosen or dropped on it. `children` say what may be in them. */
export function FileDrop({
  words,
  label,
  accept,
  isMany = false,
  now = null,
  onFiles,
  children,
}: {
  words: string;
  /** For those who do not see the words. */
  label: string;
  accept: string;
  isMany?: boolean;
  /** The file that is looked at, however it came. */
  now?: string | null;
  onFiles: (files: readonly File[]) => void;
  children: ReactNode;
}) {
  return (
    <div
      className="rounded border border-dashed border-edge p-3"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        onFiles([...e.dataTransfer.files]);
      }}
    >
      <label className="flex flex-wrap items-center gap-2">
        <span>{words}</span>
        <input
          type="file"
          multiple={isMany}
          accept={accept}
          aria-label={label}
          onChange={(e) => onFiles([...(e.target.files ?? [])])}
          className="text-dim file:mr-2 file:h-7 file:rounded file:border file:border-line file:bg-raise file:px-2.5 file:text-ink"
        />
      </label>
      {now === null || now === '' ? null : (
        <p className="mt-1.5 truncate">
          Looking at <b className="font-medium">{now}</b>
        </p>
      )}
      <p className="mt-1.5 text-[12px] text-dim">{children}</p>
    </div>
  );
}
