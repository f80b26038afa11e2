/** How much of the end of a text stays, in characters: numbers and sides of a name stand there. */
const END = 7;

const DRAWN = 'whitespace-pre before:content-[attr(data-drawn)]';

/**
 * A text that loses its middle, not its end, where there is no room: "North proc…ing unit", "Dome spea…ker 14". It fills what
 * holds it, which must not wrap.
 */
export function CutInMiddle({ text }: { text: string }) {
  if (text.length <= 2 * END) return text;
  // Readers and searches have the whole in one piece; the two halves are only drawn.
  return (
    <span className="relative block">
      <span className="sr-only">{text}</span>
      <span aria-hidden className="flex min-w-0">
        <span className={`truncate ${DRAWN}`} data-drawn={text.slice(0, -END)} />
        <span className={`shrink-0 ${DRAWN}`} data-drawn={text.slice(-END)} />
      </span>
    </span>
  );
}
