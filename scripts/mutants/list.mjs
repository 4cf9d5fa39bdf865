const GUEST = "core/test/attacks/hostile-guest.test.ts";
const FORGER = "core/test/attacks/forger.test.ts";
const FORGED = "core/test/attacks/forged-records.test.ts";
const RESCUE = "core/test/rescue/rescue.test.ts";

/**
 * Each: the line as it stands (there once), what becomes of it, and the test that notices. `title` is a part of the
 * test's full name, as a regular expression.
 */
export const MUTANTS = [
  {
    name: "whoever made the last lock, it counts",
    file: "core/src/engine/contents/open-sealed.ts",
    line: 'if (vouchingOf(generation, believedOf(access), head) !== "unknown") return null;',
    becomes: "if (vouchingOf(generation, believedOf(access), head)) return null;",
    test: GUEST,
    title: "makes no state that anybody takes for the owner's",
  },
  {
    name: "the signature of a known computer is not verified",
    file: "core/src/format/generation.ts",
    line: "return by && isSignedBy(by.key, message, fromBase64(signature)) ? [by.as] : [];",
    becomes: "return by ? [by.as] : [];",
    test: GUEST,
    title: "makes no state that anybody takes for the owner's",
  },
  {
    name: "an older state opens without a question",
    file: "core/src/engine/contents/open-sealed.ts",
    line: "if (!expected || number >= expected.generation) return null;",
    becomes: "if (!expected || number > 0) return null;",
    test: FORGER,
    title: "for an older one is asked about by open, by itself",
  },
  {
    name: "a lock while signed out seals to whatever key lies in the folder",
    file: "core/src/engine/contents/seal-generation.ts",
    line: ".heads.find(({ head }) => head.header.publicKey === publicKey);",
    becomes: ".heads.find(({ head }) => head.header.publicKey !== publicKey.slice(1));",
    test: FORGER,
    title: "while the folder lay open: the database's is used",
  },
  {
    name: "what was sealed at the opening counts without its digest",
    file: "core/src/engine/contents/seal-generation.ts",
    line: 'if (!bytes || sha256(bytes).toString("hex") !== digest) return null;',
    becomes: 'if (!bytes || sha256(bytes).toString("hex") === digest.slice(1)) return null;',
    test: FORGED,
    title: "is believed by its digest alone",
  },
  {
    name: "a visit's state is written before what it is made of is durable",
    file: "core/src/engine/visiting/visit.ts",
    line: "    disk.barrier(vault);",
    becomes: "",
    test: "core/test/campaigns/power-cut.test.ts",
    title: "visited: a file written",
  },
  {
    name: "a file is read through a link",
    file: "core/src/platform/linux/linux-disk.ts",
    line: "openRead: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_RDONLY | O_NOFOLLOW |",
    becomes: "openRead: (dir, name) => ({ handle: libc.openAt(dir.handle, name, O_RDONLY |",
    test: FORGED,
    title: "the real disk reads no file",
  },
  {
    name: "the data directory stays open to other accounts",
    file: "server/src/data-directory.ts",
    line: "if ((fs.statSync(directory).mode & 0o777) !== 0o700) fs.chmodSync(directory, 0o700);",
    becomes: "",
    test: "server/test/own-data.test.ts",
    title: "this account's alone at every start",
  },
  {
    name: "a rescue reads one copy of a barred folder's record only",
    file: "core/src/rescue/locked-folder.ts",
    line: '["guard.json", "guard.twin.json"].map((name) => readWhole',
    becomes: '["guard.json"].map((name) => readWhole',
    test: RESCUE,
    title: "of its record's two copies",
  },
  {
    name: "a rescue stops at a link under the name of Eremos' own page",
    file: "core/src/rescue/held-directory.ts",
    line: '["ELOOP", "ENXIO"]',
    becomes: '["ENXIO"]',
    test: RESCUE,
    title: "a link of its owner's under the name",
  },
  {
    name: "keys of a session stay in memory after it",
    file: "server/src/session/keys.ts",
    line: "    wipe(this.secrets.root, this.secrets.database, this.secrets.sealing);",
    becomes: "",
    test: "server/test/held-keys.test.ts",
    title: "are wiped at the last release",
  },
];
