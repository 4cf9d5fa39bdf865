import { programFile } from "../platform/program-file";

/**
 * Reed-Solomon over GF(2^8), as WebAssembly. The package's own wrapper frees the list of what is there a second time
 * after `reconstruct` took it, which spoils its memory from the second call on; so its exports are called here, and
 * each instance lives until its memory has grown.
 */
interface Exports {
  readonly memory: WebAssembly.Memory;
  __wbindgen_malloc(length: number): number;
  __wbindgen_free(pointer: number, length: number): void;
  encode(pointer: number, length: number, data: number, parity: number): number;
  /** Takes the list of what is there, and frees it. */
  reconstruct(
    pointer: number,
    length: number,
    data: number,
    parity: number,
    listPointer: number,
    listLength: number,
  ): number;
}

/** Its allocator gives nothing back to the system. */
const MOST_MEMORY_BYTES = 96 * 1024 * 1024;

let module: WebAssembly.Module | null = null;
let current: Exports | null = null;

function exportsNow(): Exports {
  if (current && current.memory.buffer.byteLength <= MOST_MEMORY_BYTES) return current;
  module ??= new WebAssembly.Module(
    programFile("@digitaldefiance/reed-solomon-erasure.wasm", "reed_solomon_erasure_bg.wasm"),
  );
  return (current = new WebAssembly.Instance(module, {}).exports as unknown as Exports);
}

function withMemory(shards: Uint8Array, use: (wasm: Exports, pointer: number) => number): void {
  const wasm = exportsNow();
  const pointer = wasm.__wbindgen_malloc(shards.length);
  new Uint8Array(wasm.memory.buffer).set(shards, pointer);
  const result = use(wasm, pointer);
  shards.set(new Uint8Array(wasm.memory.buffer, pointer, shards.length));
  wasm.__wbindgen_free(pointer, shards.length);
  if (result !== 0) throw new RangeError(`shards: Reed-Solomon refuses them (${result})`);
}

/** Fills the last `parity` of equally long shards. @throws RangeError */
export function encodeParity(shards: Uint8Array, data: number, parity: number): void {
  withMemory(shards, (wasm, pointer) => wasm.encode(pointer, shards.length, data, parity));
}

/** Fills those data shards that are not there, as long as no more are missing than `parity`. @throws RangeError */
export function reconstruct(shards: Uint8Array, data: number, parity: number, isThere: readonly boolean[]): void {
  withMemory(shards, (wasm, pointer) => {
    const list = wasm.__wbindgen_malloc(isThere.length);
    new Uint8Array(wasm.memory.buffer).set(isThere.map(Number), list);
    return wasm.reconstruct(pointer, shards.length, data, parity, list, isThere.length);
  });
}
