import { defineConfig } from "@playwright/test";
import base from "../../playwright.config";

const port = Number(process.env.PICTURES_PORT ?? 4397);

/** Takes the pictures of the README anew, from the demo with fine meshes: `npx playwright test -c e2e/pictures`. */
export default defineConfig({
  ...base,
  testDir: ".",
  testMatch: /pictures\.ts$/,
  workers: 1,
  reporter: "list",
  outputDir: "../../var/pictures",
  use: {
    ...base.use,
    baseURL: `http://127.0.0.1:${port}`,
    storageState: {
      cookies: [],
      origins: [
        {
          origin: `http://127.0.0.1:${port}`,
          localStorage: [
            {
              name: "plextan-aids",
              value: JSON.stringify({ working: false, pictures: true, framing: false, proof: false, smooth: true }),
            },
          ],
        },
      ],
    },
  },
  webServer: {
    command: `E2E_FINE=1 E2E_FOLDER=var/pictures-db node --import tsx e2e/server.ts ${port}`,
    cwd: "../..",
    url: `http://127.0.0.1:${port}/api/health`,
    timeout: 400_000,
    gracefulShutdown: { signal: "SIGTERM", timeout: 10_000 },
    reuseExistingServer: process.env.PICTURES_PORT !== undefined,
  },
});
