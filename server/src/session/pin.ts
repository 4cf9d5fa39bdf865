import { EremosError, equalBytes, randomBytes, sha256, wipe } from "@eremos/core";
import { said } from "@eremos/words/server/house";

const TRIES = 3;
const LEAST_DIGITS = 4;
const MOST_DIGITS = 12;

/**
 * A quick way back within one running Eremos, after it signed out because nobody touched the page. Nothing derived from
 * it is stored: the digest lives in memory, beside the keys it gives back, and goes with them.
 */
export class Pin {
  private chosen: { readonly salt: Buffer; readonly digest: Buffer } | null = null;
  private wrong = 0;

  get isSet(): boolean {
    return this.chosen !== null;
  }

  /** @throws EremosError `weak-pin` */
  choose(pin: string): void {
    if (!/^\d+$/.test(pin) || pin.length < LEAST_DIGITS || pin.length > MOST_DIGITS)
      throw new EremosError(
        "weak-pin",
        said("pin-has-digits-nothing-was", { leastDigits: LEAST_DIGITS, mostDigits: MOST_DIGITS }),
      );
    if (/^(\d)\1+$/.test(pin) || "0123456789012345".includes(pin) || "9876543210".includes(pin))
      throw new EremosError("weak-pin", said("that-pin-would-be-tried"));
    this.forget();
    const salt = randomBytes(16);
    this.chosen = { salt, digest: digestOf(salt, pin) };
  }

  /**
   * True for the right one. After the last wrong one it is forgotten. @throws EremosError `wrong-pin` while there are
   * tries left
   */
  matches(pin: string): boolean {
    if (!this.chosen) return false;
    if (equalBytes(digestOf(this.chosen.salt, pin), this.chosen.digest)) {
      this.wrong = 0;
      return true;
    }
    this.wrong++;
    if (this.wrong < TRIES) {
      const left = TRIES - this.wrong;
      throw new EremosError("wrong-pin", said("that-is-not-your-pin", { left }), { left });
    }
    this.forget();
    return false;
  }

  forget(): void {
    wipe(this.chosen?.digest);
    this.chosen = null;
    this.wrong = 0;
  }
}

function digestOf(salt: Buffer, pin: string): Buffer {
  return sha256(Buffer.concat([salt, Buffer.from(pin, "utf8")]));
}
