/** Reads a file as UTF-8 text, or says what is wrong with it. Nothing larger than `bytesMax` is looked into. */
export async function readTextFile(
  file: File,
  bytesMax: number,
): Promise<{ readonly text: string } | { readonly problem: string }> {
  if (file.size > bytesMax) return { problem: `the file is larger than ${Math.floor(bytesMax / 1e6)} MB` };
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(await file.arrayBuffer()) };
  } catch {
    return { problem: 'the file is not text in UTF-8' };
  }
}
