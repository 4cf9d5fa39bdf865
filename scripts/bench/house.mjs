import { userInfo } from "node:os";

/** The core's verbs with an owner at hand, as the benchmark calls them. */
const silent = { progress: () => undefined, cancelled: () => false };

export function house(core, owner, rootKey, device) {
  return {
    core,
    owner,
    rootKey,
    device,
    access: { owner, rootKey, folderKey: null, devices: [device] },
    signer: { by: "owner", owner, rootKey, device, password: null },
  };
}

export function lock({ core, owner, signer }, path, folder, note = null, hooks = silent) {
  return core.lockFolder(
    core.disk,
    {
      guard: "sealed",
      path: Buffer.from(path),
      folder,
      owner,
      bars: core.NO_BARS,
      visibility: "view",
      places: [],
      sealing: { signer, note, page: null, inUseAnyway: false },
    },
    hooks,
  );
}

const opening = ({ access }, path) => ({
  path: Buffer.from(path),
  access,
  keptHeader: null,
  expected: null,
  accept: [],
});

function unlocking(known, path) {
  const { path: bytes, ...sealed } = opening(known, path);
  return { guard: "sealed", path: bytes, place: bytes, sealed };
}

/** What an opening of a sealed folder tells of it. */
export async function open(known, path) {
  const { unsealed } = await known.core.unlockFolder(known.core.disk, unlocking(known, path), silent);
  return unsealed;
}

export function release(known, path) {
  return known.core.releaseFolder(known.core.disk, unlocking(known, path), silent);
}

/** Opens a locked folder for reading, and reads the first byte of so many files picked at random. Seconds each. */
export async function firstBytes(known, path, { files, directories }, count) {
  const began = performance.now();
  const reader = await visit(known, path);
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

function visit(known, path, disk = known.core.disk) {
  return known.core.Visit.open(disk, {
    ...opening(known, path),
    account: { uid: userInfo().uid, gid: userInfo().gid },
  });
}

/**
 * Bytes written for each of so many changes of one file of 10 kB: all in one visit, and in a visit for each; with
 * everything that their ends write.
 */
export async function bytesOfChanges(known, path, { files, directories }, count) {
  let written = 0;
  const disk = new Proxy(known.core.disk, {
    get: (target, name) =>
      name !== "write"
        ? target[name]
        : (...args) => {
            written += args[3];
            return target.write(...args);
          },
  });
  const change = (to, n) => {
    const i = (n * 7919) % files;
    const directory = Buffer.from(`d${i % directories}`);
    const upload = to.write([directory], Buffer.from(`file ${i}`), 10_000);
    upload.append(Buffer.alloc(10_000, n));
    to.add(to.find([directory]), upload.finish());
    to.commit();
  };
  const one = await visit(known, path, disk);
  for (let n = 0; n < count; n++) change(one, n);
  one.close();
  const inOne = written / count;
  written = 0;
  for (let n = 0; n < count; n++) {
    const each = await visit(known, path, disk);
    change(each, count + n);
    each.close();
  }
  return { inOne, forEach: written / count };
}
