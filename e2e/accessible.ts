import AxeBuilder from "@axe-core/playwright";
import type { Page } from "@playwright/test";

/** The notices on the page, and which of them are on their way out: in fading, their colours are nobody's. */
const notices = (page: Page): Promise<string> =>
  page.evaluate(() =>
    [...document.querySelectorAll<HTMLElement>("[data-sonner-toast]")]
      .map(({ dataset, innerText }) => `${dataset["mounted"]} ${dataset["removed"]} ${innerText}`)
      .join("\n"),
  );

/** Until everything that moves for a while has come to its place. */
async function settled(page: Page): Promise<void> {
  await page.waitForFunction(
    () =>
      document.querySelector("[data-sonner-toast]:is([data-removed=true], [data-mounted=false])") === null &&
      document
        .getAnimations()
        .every((found) => found.playState !== "running" || found.effect?.getComputedTiming().endTime === Infinity),
  );
}

/**
 * What breaks the accessibility rules on the page at rest, or in a part of it: each by its rule and what it stands in.
 */
export async function violations(page: Page, within?: string): Promise<string[]> {
  for (;;) {
    await settled(page);
    const before = await notices(page);
    // What breaks no rule is not told of: it would be most of the page.
    const builder = new AxeBuilder({ page }).options({ resultTypes: ["violations"] });
    const { violations: found } = await (within === undefined ? builder : builder.include(within)).analyze();
    // A notice that came or went meanwhile was looked at half faded.
    if ((await notices(page)) === before)
      return found.map(
        ({ id, nodes }) =>
          `${id}: ${nodes
            .map(({ html }) => html)
            .slice(0, 3)
            .join(" | ")}`,
      );
  }
}
