import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type BrowserContext, test as base, expect } from "@playwright/test";

/** A mark of tests in which a page is made to break. */
export const BREAKS = "breaks";

/**
 * Tests that share one browser profile for each worker, kept on disk as a user's is: what the page loads and compiles
 * is at hand for the next test, as on the second day. Each has pages, cookies and storage of its own.
 */
export const test = base.extend<object, { profile: BrowserContext }>({
  profile: [
    async ({ playwright }, use, { project }) => {
      const { viewport, contextOptions, baseURL, launchOptions } = project.use;
      const folder = await mkdtemp(join(tmpdir(), "plextan-profile-"));
      const context = await playwright.chromium.launchPersistentContext(folder, {
        ...launchOptions,
        ...contextOptions,
        ...(viewport === undefined ? {} : { viewport }),
        ...(baseURL === undefined ? {} : { baseURL }),
      });
      await use(context);
      await context.close();
      await rm(folder, { recursive: true, force: true });
    },
    { scope: "worker" },
  ],
  // Contexts beside the profile belong to other people: without what the profile has at hand.
  browser: [
    async ({ profile }, use) => {
      const browser = profile.browser();
      if (!browser) throw new Error("The profile has no browser of its own.");
      await use(browser);
    },
    { scope: "worker" },
  ],
  context: async ({ profile, storageState }, use) => {
    await profile.clearCookies();
    await profile.unrouteAll();
    const stored = typeof storageState === "object" ? storageState.origins : [];
    const cleaner = await profile.newPage();
    await cleaner.goto("/api/health");
    await cleaner.evaluate((items) => {
      localStorage.clear();
      for (const { name, value } of items) localStorage.setItem(name, value);
    }, stored[0]?.localStorage ?? []);
    await cleaner.close();
    await use(profile);
    for (const page of profile.pages()) await page.close();
  },
  page: async ({ context }, use, info) => {
    const page = await context.newPage();
    // What breaks behind the picture breaks the test, unless that is what it is about.
    const broke: string[] = [];
    page.on("pageerror", (error) => broke.push(error.message));
    await use(page);
    if (!info.annotations.some((a) => a.type === BREAKS)) expect(broke).toEqual([]);
  },
});

export { expect, type Page } from "@playwright/test";
