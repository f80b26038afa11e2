/** Opens the database and begins to follow the field when the server starts, not with the first request. */
export async function register(): Promise<void> {
  if (process.env['NEXT_RUNTIME'] !== 'nodejs') return;
  const { serverState } = await import('./server/state');
  serverState();
}
