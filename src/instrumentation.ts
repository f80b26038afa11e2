/** Opens the database, follows the field and watches the plans that carry from the start of the server on, not from the first request. */
export async function register(): Promise<void> {
  if (process.env['NEXT_RUNTIME'] !== 'nodejs') return;
  const { watchCarrying } = await import('./server/sessions');
  try {
    watchCarrying();
  } catch (error) {
    // The server goes on and says so to whoever asks: it is tried again with each request.
    console.error(`Jade Lane cannot use its database. ${(error as Error).message}`);
  }
}
