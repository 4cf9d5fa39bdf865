const GONE = `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>Eremos was stopped</title>
<style>
  body { margin: 0; min-height: 100vh; display: grid; place-items: center; background: #f7f3ea; color: #22252e; font: 17px/1.55 system-ui, sans-serif }
  main { max-width: 34rem; padding: 2rem }
  h1 { font-size: 1.6rem; line-height: 1.2; margin: 0 0 1rem }
  code { white-space: nowrap }
  p.small { color: #65635f; font-size: .9rem }
  @media (prefers-color-scheme: dark) { body { background: #191714; color: #f1ebde } p.small { color: #b0a897 } }
</style>
<main>
  <h1>Eremos was stopped</h1>
  <p>Your folders stay as they are on the disk. This page has cleared itself: its address may be somebody else&rsquo;s now.</p>
  <p>Start Eremos again from the applications menu, with <code>eremos page</code> in a terminal, or as you started it before. It has a fresh address then.</p>
  <p class="small">You can close this tab. Going back in it, or typing the old address again, does not lead to Eremos.</p>
</main>
</html>
`;

/**
 * Takes everything off the page and leaves its address for a page that lies in the browser's own memory: nothing typed
 * goes anywhere any more, and loading it again asks nobody.
 */
export function leaveAddress(): void {
  document.documentElement.replaceChildren();
  window.sessionStorage.clear();
  window.location.replace(URL.createObjectURL(new Blob([GONE], { type: "text/html" })));
}
