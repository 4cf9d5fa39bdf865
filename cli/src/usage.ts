import { say } from "@eremos/words/cli";

export const USAGE = say("eremos-hides-and-locks-private");
