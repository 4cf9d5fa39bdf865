/// <reference lib="dom" />
import { type ChildProcess, spawn } from "node:child_process";
import type { BrowserContext, Page } from "@playwright/test";
import { BOUND } from "../cli/test/taking";
import { PASSWORD, expect, protect, signIn, test } from "./house";

const OTHER = 65_534;

/**
 * Another account (where this one may start one) that takes a port on both loopback addresses, shows a false gate
 * there, and writes down all that it is asked.
 */
class Impostor {
  private constructor(private readonly program: ChildProcess) {}
  readonly heard: string[] = [];

  static async take(port: string): Promise<Impostor> {
    const script = `const http = require("node:http");
      const answer = (request, response) => { let body = ""; request.on("data", (part) => (body += part)).on("end", () => { console.log(request.method + " " + request.url + " " + (request.headers.cookie ?? "") + " " + body); response.setHeader("content-type", "text/html").end("<title>false gate</title><input type=password>"); }); };
      ${BOUND}
      const listen = (host) => {
        const fd = bound ? bound(host, ${port}) : null;
        if (fd === -1) return void setTimeout(() => listen(host), 5);
        http.createServer(answer).on("error", () => setTimeout(() => listen(host), 5)).listen(fd === null ? { port: ${port}, host } : { fd }, () => console.log("listening"));
      };
      listen("127.0.0.1"); listen("::1");`;
    const as = process.getuid?.() === 0 ? { uid: OTHER, gid: OTHER } : {};
    const impostor = new Impostor(
      spawn(process.execPath, ["-e", script], { ...as, cwd: "/", stdio: ["ignore", "pipe", "ignore"] }),
    );
    impostor.program.stdout?.on("data", (part) => impostor.heard.push(...String(part).trim().split("\n")));
    return impostor;
  }

  async listens(): Promise<void> {
    await expect.poll(() => this.heard.filter((line) => line === "listening").length).toBe(2);
  }

  get asked(): string[] {
    return this.heard.filter((line) => line !== "listening");
  }

  end(): void {
    this.program.kill("SIGKILL");
  }
}

async function typeEverywhere(page: Page): Promise<void> {
  await page.keyboard.type(PASSWORD);
  await page.keyboard.press("Enter");
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
}

test("the server is killed and another account takes its port at once: the gate and a signed-in page clear themselves, and nothing typed or loaded again in them reaches it", async ({
  house,
  page,
}) => {
  test.slow();
  await signIn(page, house);
  await protect(page, house.place("Cello fund"), "Hidden in place");
  const other: BrowserContext = (await page.context().browser()?.newContext()) ?? page.context();
  const gate = await other.newPage();
  await gate.goto(house.address);
  await gate.getByLabel("Master password").fill("half a pass");
  const impostor = await Impostor.take(new URL(house.address).port);
  try {
    await house.stop("SIGKILL");
    await impostor.listens();
    for (const tab of [page, gate]) {
      await expect(tab.getByRole("heading", { name: "Eremos was stopped" })).toBeVisible();
      expect(await tab.content()).not.toMatch(/<input|Cello|half a pass/);
      await typeEverywhere(tab);
      await tab.reload().catch(() => undefined);
      await typeEverywhere(tab);
      expect(await tab.title()).not.toBe("false gate");
    }
    expect(impostor.asked).toEqual([]);
    await house.start();
    expect(new URL(house.address).port).not.toBe("0");
    await gate.goto(house.address);
    await expect(gate.getByLabel("Master password")).toBeVisible();
    // The next start asks what listens there for a proof; that is all it ever hears.
    expect(impostor.asked.filter((line) => !/^POST \/api\/hello {2}\{"nonce":"[0-9a-f]{64}"\}$/.test(line))).toEqual(
      [],
    );
  } finally {
    impostor.end();
    await other.close();
  }
});

test("at the gate, what lies open is told as a number only, and is closed up there", async ({ house, page }) => {
  const folder = house.place("Cello fund");
  expect(house.eremos(["lock", folder, "--view"]).status).toBe(0);
  expect(house.eremos(["unlock", folder], PASSWORD).status).toBe(0);
  await page.goto(house.address);
  await expect(page.getByText("1 folder lies open")).toBeVisible();
  expect(await page.content()).not.toContain("Cello");
  await page.getByRole("button", { name: "Close up" }).click();
  await expect(page.getByText("1 folder lies open")).toBeHidden();
  await expect.poll(() => house.ls(folder, "-A")).toEqual([".eremos", "Locked with Eremos.html"]);
});

test.describe("before there is an owner", () => {
  test.use({ hasOwner: false });
  test("how a chosen password would be guessed is estimated in the page: what is typed is in no request", async ({
    house,
    page,
  }) => {
    const sent: string[] = [];
    page.on("request", (request) => sent.push(`${request.url()} ${request.postData() ?? ""}`));
    await page.goto(house.address);
    await page.getByLabel("Master password").fill("violin varnish at dusk");
    await expect(page.getByText("Time to guess it, for somebody with your disk")).toBeVisible();
    await page.getByLabel("Master password").fill("12345678");
    await expect(page.getByText("This one would be guessed at once")).toBeVisible();
    expect(sent.filter((one) => one.includes("varnish") || one.includes("12345678"))).toEqual([]);
  });
});
