import { passwordStrength } from "@eremos/server/strength";

/** One password at a time; what comes back says of which asking it is. */
self.addEventListener("message", (event: MessageEvent<{ readonly asking: number; readonly password: string }>) => {
  const { asking, password } = event.data;
  void passwordStrength(password).then((strength) => self.postMessage({ asking, strength }));
});
