/** The core's verbs with an owner at hand, as the benchmark calls them. */
const silent = { progress: () => undefined, cancelled: () => false };

export function house(core, owner, rootKey, device) {
  return {
    core,
    owner,
    rootKey,
    device,
    access: { owner, rootKey, devices: [device] },
    signer: { by: "owner", owner, rootKey, device },
  };
}

export function lock({ core, signer }, path, folder, note = null, hooks = silent) {
  return core.lockFolder(
    core.disk,
    { path: Buffer.from(path), folder, visibility: "view", places: [], signer, note, page: null, inUseAnyway: false },
    hooks,
  );
}

const opening = ({ access }, path) => ({
  path: Buffer.from(path),
  access,
  keptHeader: null,
  expected: null,
  acceptUnvouched: false,
  acceptOlder: false,
});

export function open(known, path) {
  return known.core.unlockFolder(known.core.disk, opening(known, path), silent);
}

export function release(known, path) {
  return known.core.releaseFolder(known.core.disk, opening(known, path), silent);
}

/** Opens a locked folder for reading, and reads the first byte of so many files picked at random. Seconds each. */
export async function firstBytes({ core, access }, path, { files, directories }, count) {
  const began = performance.now();
  const reader = await core.Visit.open(core.disk, {
    path: Buffer.from(path),
    access,
    keptHeader: null,
    account: { uid: process.getuid(), gid: process.getgid() },
  });
  const opened = (performance.now() - began) / 1000;
  const into = Buffer.alloc(1);
  const read = (i) => {
    const file = reader.find([Buffer.from(`d${i % directories}`), Buffer.from(`file ${i}`)]);
    if (file?.kind !== "file" || reader.read(file, 0, into) !== 1) throw new Error(`file ${i} is not there`);
  };
  const pick = (n) => Number((BigInt(n) * 2_654_435_761n) % BigInt(files));
  for (let n = 0; n < 200; n++) read(pick(n + 7));
  const times = Array.from({ length: count }, (_, n) => {
    const start = performance.now();
    read(pick(n + 1000));
    return (performance.now() - start) / 1000;
  });
  reader.close();
  return { opened, times };
}
