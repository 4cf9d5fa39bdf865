export class StandInDrive {
  constructor(table: string, drawer: string);
  readonly table: string;
  readonly drawer: string;
  /** Where it is now; null while it is in the drawer. */
  readonly at: string | null;
  mark(path: string): void;
  takeOut(): void;
  putIn(path: string): void;
}
export function demoStick(demo: string): StandInDrive;
