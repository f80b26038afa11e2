/** Lets the browser save a text, or octets, as a file. */
export function saveText(name: string, type: string, text: string | Uint8Array<ArrayBuffer>): void {
  const url = URL.createObjectURL(new Blob([text], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  URL.revokeObjectURL(url);
}
