/** The page that asks for the pass phrase. It stands alone, as nothing of the application is given before. */
export const passPhrasePage = (nonce: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>Jade Lane: pass phrase</title>
<style>
:root { color-scheme: light dark; --ink: #1d2b2a; --ground: #f4f2ec; --edge: #6b7877; --jade: #0b6b55; --bad: #97214f; }
@media (prefers-color-scheme: dark) { :root { --ink: #e6ebe8; --ground: #12201f; --edge: #8a9896; --jade: #5cc7a6; --bad: #f08fb4; } }
body { margin: 0; min-height: 100vh; display: grid; place-items: center; background: var(--ground); color: var(--ink); font: 16px/1.5 system-ui, sans-serif; }
form { width: min(360px, 90vw); }
h1 { font-size: 20px; font-weight: 600; }
label { display: block; margin-bottom: 4px; }
input { box-sizing: border-box; width: 100%; padding: 8px; font: inherit; color: inherit; background: transparent; border: 1px solid var(--edge); border-radius: 4px; }
button { margin-top: 12px; padding: 8px 14px; font: inherit; color: inherit; background: transparent; border: 1px solid var(--jade); border-radius: 4px; }
:focus-visible { outline: 2px solid var(--jade); outline-offset: 2px; }
#said { min-height: 1.5em; color: var(--bad); }
</style>
</head>
<body>
<main>
<form id="form">
<h1>Jade Lane</h1>
<label for="phrase">Pass phrase of this server</label>
<input id="phrase" type="password" autocomplete="current-password" required autofocus>
<p id="said" role="alert"></p>
<button>Come in</button>
</form>
</main>
<script nonce="${nonce}">
document.getElementById('form').addEventListener('submit', async (event) => {
  event.preventDefault();
  const said = document.getElementById('said');
  const phrase = document.getElementById('phrase');
  said.textContent = '';
  try {
    const answer = await fetch('/api/pass-phrase', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ phrase: phrase.value }),
    });
    if (answer.ok) return location.reload();
    said.textContent = (await answer.json()).error.message;
  } catch {
    said.textContent = 'The server does not answer.';
  }
  phrase.select();
});
</script>
</body>
</html>
`;
