/**
 * The address of a node as a person types it, `10.20.0.31`, `10.20.0.31:8080` or `https://box.venue.example`, as the start of its Node API
 * up to the port; null: it is no such address. Whether it is talked to is another question.
 */
export function nodeUrlOf(typed: string): string | null {
  const text = typed.trim();
  const match = /^(?:(https?):\/\/)?([a-z0-9.-]{1,253})(?::(\d{1,5}))?\/*$/i.exec(text);
  if (match === null) return null;
  const [, protocol = 'http', host = '', port] = match;
  const url = `${protocol.toLowerCase()}://${host.toLowerCase()}${port === undefined ? '' : `:${port}`}`;
  // What the parser of URLs takes for another host, such as 10.1 or 0x7f.1, is refused rather than guessed.
  if (!URL.canParse(url) || new URL(url).hostname !== host.toLowerCase() || port === '0') return null;
  return new URL(url).origin;
}
