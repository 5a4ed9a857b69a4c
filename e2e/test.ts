import { type BrowserContext, test as base } from "@playwright/test";

/**
 * Tests that share one browser profile for each worker: what the page loads and compiles is at hand for the next test,
 * as it is for a user on the second day. Each has pages, cookies and storage of its own.
 */
export const test = base.extend<object, { profile: BrowserContext }>({
  profile: [
    async ({ browser }, use, { project }) => {
      const { viewport, contextOptions, baseURL } = project.use;
      const context = await browser.newContext({
        ...contextOptions,
        ...(viewport === undefined ? {} : { viewport }),
        ...(baseURL === undefined ? {} : { baseURL }),
      });
      await use(context);
      await context.close();
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
  page: async ({ context }, use) => {
    await use(await context.newPage());
  },
});

export { expect, type Page } from "@playwright/test";
