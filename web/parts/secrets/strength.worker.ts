import type { PackageForm } from "@eremos/server/contract";
import { packageStrength, packageWords, passwordStrength } from "@eremos/server/strength";

interface Asking {
  readonly asking: number;
  readonly password: string;
  /** Of a package's password its form; absent: one of the owner's own. */
  readonly form?: PackageForm;
}

/** One password at a time, or words for one; what comes back says of which asking it is. */
self.addEventListener("message", (event: MessageEvent<Asking | { readonly words: true }>) => {
  if ("words" in event.data) return void packageWords().then((words) => self.postMessage({ words }));
  const { asking, password, form } = event.data;
  const looked = form ? packageStrength(password, form) : passwordStrength(password);
  void looked.then((strength) => self.postMessage({ asking, strength }));
});
