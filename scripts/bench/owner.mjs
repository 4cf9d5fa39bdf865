import { root } from "../steps.mjs";

export const PASSWORD = "violin varnish at dusk";

/** An Eremos whose owner has a master password that takes little work, signed in. */
export async function newOwner(env) {
  const server = await import("@eremos/server");
  const core = await import("@eremos/core");
  const eremos = server.Eremos.open(server.readSettings(env, root));
  const code = core.newRecoveryCode();
  const { envelope, rootKey } = await core.createOwner(PASSWORD, code, core.LEAST_COST, [eremos.data.computer]);
  const proven = await core.ProvenOwner.prove(envelope, rootKey, [
    { kind: "password", password: PASSWORD },
    { kind: "code", code },
  ]);
  await eremos.data.writeOwner(proven, null);
  await server.signIn(eremos, PASSWORD);
  return eremos;
}
