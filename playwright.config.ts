import { defineConfig } from "@playwright/test";
import { CHROMIUM_ARGS } from "./src/cli/measure/chromium";

const port = Number(process.env.E2E_PORT ?? 4399);

export default defineConfig({
  testDir: "e2e",
  timeout: 600_000,
  // Long enough for a machine that gives its processors to others now and then.
  expect: { timeout: Number(process.env.E2E_PATIENCE ?? 90_000) },
  // Much of a test is waiting: for a menu, a save, a frame. Two fill each other's gaps.
  workers: 2,
  fullyParallel: false,
  reporter: process.env.CI
    ? [["list"], ["json", { outputFile: "var/e2e.json" }]]
    : [["list"], ["json", { outputFile: "var/e2e.json" }]],
  outputDir: "var/e2e-results",
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    // As on a slow machine: working light, nothing drawn or worked out in the background. Tests about these switch
    // them on.
    storageState: {
      cookies: [],
      origins: [
        {
          origin: `http://127.0.0.1:${port}`,
          localStorage: [
            {
              name: "plextan-aids",
              value: JSON.stringify({ working: true, pictures: false, framing: false, proof: false }),
            },
            // Tests beside each other use one demo: what one does is not to appear in the other.
            { name: "plextan-alone", value: "1" },
          ],
        },
      ],
    },
    // A menu that slides open may move away under a click on a slow machine.
    contextOptions: { reducedMotion: "reduce" },
    actionTimeout: 90_000,
    screenshot: "only-on-failure",
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
      // Two browsers draw beside each other on two processors: more threads in each only wait for one another.
      env: { ...(process.env as Record<string, string>), LP_NUM_THREADS: "0" },
      // The page's own words and boxes are painted and put together without GL: where there is no graphics card the
      // drawing process needs a quarter so while a desk opens. The stage is drawn as ever. And a microphone that
      // beeps, and is allowed.
      args: [
        ...CHROMIUM_ARGS,
        "--disable-gpu-rasterization",
        "--disable-gpu-compositing",
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
      ],
    },
  },
  webServer: {
    command: `node --import tsx e2e/server.ts ${port}`,
    url: `http://127.0.0.1:${port}/api/health`,
    timeout: 400_000,
    reuseExistingServer: process.env.E2E_PORT !== undefined,
    gracefulShutdown: { signal: "SIGTERM", timeout: 10_000 },
  },
});
