import type { ActivityEvent, NoticeKind } from "../contract";
import type { Notice, NoticeButton, Notifications } from "../desktop/notifications";
import { say } from "@eremos/words/server/notices";

/** What is said of whom, before it is known whether a name may stand in it. */
interface Told {
  readonly kind: NoticeKind;
  readonly about: string;
  readonly urgency: Notice["urgency"];
  /** The folder's, or null where it is about none. */
  readonly name: string | null;
  readonly words: (name: string) => { readonly summary: string; readonly body: string };
  readonly buttons: readonly NoticeButton[];
}

/** What notices ask of the house. */
export interface NoticeHouse {
  readonly preference: () => {
    readonly kinds: readonly NoticeKind[];
    readonly quiet: { readonly from: number; readonly until: number } | null;
    readonly names: "never" | "unlocked" | "always";
  };
  readonly showDesk: (folder: string | null) => unknown;
  readonly keepOpen: (folder: string) => unknown;
  /** How a folder that lies open is called, where whoever asks may be signed out. */
  readonly nameOf: (folder: string) => string | null;
  readonly now: () => Date;
}

const LOOK_EVERY_MS = 60_000;
/** What a folder that somebody left open is locked for; what the person does themselves is told nowhere. */
const BY_ITSELF = ["time", "idle", "let-go", "after-stop", "asleep"] as const;

/**
 * Tells by the desktop's notifications what somebody would want to know who does not look at the page. No name of a
 * folder stands in one while others may read the screen, unless the owner allowed it.
 */
export class Notices {
  private readonly shown = new Map<string, Told>();
  /** How many were not shown in quiet hours. */
  private heldBack = 0;
  private readonly timer: NodeJS.Timeout;

  constructor(
    private readonly desktop: Pick<Notifications, "show" | "withdraw" | "isScreenLocked" | "onScreen">,
    private readonly house: NoticeHouse,
  ) {
    desktop.onScreen((isLocked) => void (isLocked ? this.takeNamesAway() : undefined));
    this.timer = setInterval(() => void this.afterQuiet(), LOOK_EVERY_MS).unref();
  }

  close(): void {
    clearInterval(this.timer);
  }

  async heard(event: ActivityEvent): Promise<void> {
    const { kind, folder, from, why, count, account } = event;
    if (kind === "locked" || kind === "released") await this.over(`waits ${folder}`);
    const name = event.name || this.house.nameOf(folder);
    const look = [this.desk(folder === "" ? null : folder)];
    const reason = from === "itself" ? BY_ITSELF.find((one) => one === why) : undefined;
    if (kind === "locked" && reason)
      await this.tell({
        kind: "locked",
        about: `locked ${folder}`,
        urgency: "low",
        name,
        words: (named) => ({ summary: say("locked-by-itself", { name: named }), body: say(`why-${reason}`) }),
        buttons: look,
      });
    if (kind === "wrong" && !event.signedIn) await this.wrongWereTried(count ?? 1, account);
    if (kind === "damaged")
      await this.tell({
        kind: "damaged",
        about: `damaged ${folder}`,
        urgency: "critical",
        name,
        words: (named) => ({ summary: say("check-failed", { name: named }), body: say("repair-it") }),
        buttons: look,
      });
  }

  async wrongWereTried(count: number, account: ActivityEvent["account"]): Promise<void> {
    await this.tell({
      kind: "tries",
      about: "tries",
      urgency: "critical",
      name: null,
      words: () => ({
        summary: say("wrong-tried", { count }),
        body: say("by-account", { name: accountName(account) }),
      }),
      buttons: [this.desk(null)],
    });
  }

  /** The time of a folder is up, and these programs hold files of it; none: it does not wait any more. */
  async waits(folder: string, programs: readonly string[]): Promise<void> {
    if (programs.length === 0) return this.over(`waits ${folder}`);
    await this.tell({
      kind: "waiting",
      about: `waits ${folder}`,
      urgency: "normal",
      name: this.house.nameOf(folder),
      words: (name) => ({
        summary: say("left-open", { name }),
        body: say("these-hold-it", { programs: programs.join(", "), count: programs.length }),
      }),
      buttons: [{ id: "keep", label: say("keep-it-open"), act: () => this.house.keepOpen(folder) }, this.desk(folder)],
    });
  }

  async practiceIsDue(): Promise<void> {
    await this.tell({
      kind: "practice",
      about: "practice",
      urgency: "low",
      name: null,
      words: () => ({ summary: say("practice-is-due"), body: say("practice-why") }),
      buttons: [this.desk(null)],
    });
  }

  private async tell(told: Told): Promise<void> {
    const { kinds } = this.house.preference();
    if (!kinds.includes(told.kind)) return;
    if (this.isQuiet) {
      this.heldBack += 1;
      return;
    }
    await this.afterQuiet();
    this.shown.set(told.about, told);
    await this.desktop.show(noticeOf(told, await this.mayName()));
  }

  private async over(about: string): Promise<void> {
    this.shown.delete(about);
    await this.desktop.withdraw(about);
  }

  private async mayName(): Promise<boolean> {
    const { names } = this.house.preference();
    // A desktop that does not tell may show it to everybody.
    return names === "always" || (names === "unlocked" && (await this.desktop.isScreenLocked()) === false);
  }

  /** What is shown still goes on being shown, over a locked screen too. */
  private async takeNamesAway(): Promise<void> {
    if (this.house.preference().names !== "unlocked") return;
    for (const told of this.shown.values()) if (told.name !== null) await this.desktop.show(noticeOf(told, false));
  }

  private get isQuiet(): boolean {
    const { quiet } = this.house.preference();
    if (!quiet) return false;
    const now = this.house.now();
    const minute = now.getHours() * 60 + now.getMinutes();
    return quiet.from <= quiet.until
      ? minute >= quiet.from && minute < quiet.until
      : minute >= quiet.from || minute < quiet.until;
  }

  /** One for all that was not shown. */
  async afterQuiet(): Promise<void> {
    if (this.heldBack === 0 || this.isQuiet) return;
    const count = this.heldBack;
    this.heldBack = 0;
    await this.desktop.show({
      about: "quiet",
      summary: say("while-it-was-quiet", { count }),
      body: say("desk-tells"),
      urgency: "normal",
      buttons: [this.desk(null)],
    });
  }

  private desk(folder: string | null): NoticeButton {
    return { id: "desk", label: say("open-the-desk"), act: () => this.house.showDesk(folder) };
  }
}

function noticeOf({ about, urgency, name, words, buttons }: Told, mayName: boolean): Notice {
  const { summary, body } = words(name !== null && mayName ? name : say("a-folder"));
  return { about, urgency, summary, body, buttons };
}

function accountName(account: ActivityEvent["account"]): string {
  if (account === null) return "none";
  return account.name === "" ? String(account.uid) : account.name;
}
