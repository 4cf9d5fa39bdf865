/** Says which page is Eremos' own; the folder's id is all it tells. */
export function lockedPage(id: string, port: number): Buffer {
  const address = `http://127.0.0.1:${port}/folders/${id}`;
  return Buffer.from(`<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<title>This folder is locked</title>
<style>
  body { margin: 0; min-height: 100vh; display: grid; place-items: center; background: #f7f3ea; color: #22252e; font: 17px/1.55 system-ui, sans-serif }
  main { max-width: 34rem; padding: 2rem }
  h1 { font-size: 1.6rem; line-height: 1.2; margin: 1rem 0 }
  a.open { display: inline-block; margin: .5rem 0 1.2rem; padding: .65rem 1.2rem; border-radius: .5rem; background: #2f3b69; color: #fff; text-decoration: none }
  p.small { color: #6c6a66; font-size: .9rem }
  @media (prefers-color-scheme: dark) { body { background: #161a2c; color: #ece6d8 } p.small { color: #a9a598 } a.open { background: #b9c2ee; color: #161a2c } }
</style>
<main>
  <svg width="44" height="52" viewBox="0 0 44 52" aria-hidden="true"><path d="M6 50V22a16 16 0 0 1 32 0v28z" fill="#2f3b69"/></svg>
  <h1>This folder is locked</h1>
  <p>Its files are encrypted and still in here. They open with the owner's master password, in Eremos on this computer.</p>
  <p><a class="open" href="${address}">Open in Eremos</a></p>
  <p class="small">This page never asks for a password. If nothing opens, start Eremos first. Please don't delete, move or edit what is in this folder; files you put beside this page are kept and taken in when the owner opens it.</p>
</main>
</html>
`);
}
