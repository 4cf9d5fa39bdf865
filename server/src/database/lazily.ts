/** Made by whoever wants it first: a statement that is read at every call is put together and prepared once. */
export function lazily<T>(make: () => T): () => T {
  let made: { readonly it: T } | null = null;
  return () => (made ??= { it: make() }).it;
}
