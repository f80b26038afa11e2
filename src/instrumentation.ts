/** Opens the database, follows the field and watches the plans that carry from the start of the server on, not from the first request. */
export async function register(): Promise<void> {
  if (process.env['NEXT_RUNTIME'] !== 'nodejs') return;
  const { watchCarrying } = await import('./server/sessions');
  watchCarrying();
}
