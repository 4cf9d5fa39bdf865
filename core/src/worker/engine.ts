import { useCiphers } from "../crypto/ciphers";
import type { Hooks } from "../engine/ground";
import type { Platform } from "../platform/port";
import { type EngineRequest, LOOKS, type Outcomes, perform } from "./protocol";

export interface Engine {
  /** @throws EremosError */
  perform(request: EngineRequest, hooks: Hooks): Promise<Outcomes[keyof Outcomes]>;
}

/** The engine on the platform that it is handed, one for each thread. */
export function createEngine({ disk, ciphers, giveWay }: Platform): Engine {
  useCiphers(ciphers);
  return {
    perform: (request, hooks) => {
      if (LOOKS.has(request.verb)) giveWay();
      return perform(disk, request, hooks);
    },
  };
}
