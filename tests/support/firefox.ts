import { type ChildProcess, spawn } from "node:child_process";
import { once } from "node:events";
import puppeteer, { type Browser } from "puppeteer-core";

/**
 * Debian's Firefox on a screen of its own: without one it draws no 3D. Playwright cannot drive it, so this is the one
 * place where another driver is used.
 */
export async function firefox(): Promise<{ browser: Browser; end(): Promise<void> }> {
  const { screen, display } = await openScreen();
  try {
    const browser = await puppeteer.launch({
      browser: "firefox",
      executablePath: process.env.FIREFOX ?? "/usr/bin/firefox-esr",
      headless: false,
      defaultViewport: { width: 840, height: 520 },
      env: { ...process.env, DISPLAY: display, LIBGL_ALWAYS_SOFTWARE: "1", MOZ_WEBRENDER: "0" },
      extraPrefsFirefox: { "webgl.force-enabled": true, "ui.prefersReducedMotion": 1 },
    });
    return {
      browser,
      async end() {
        await browser.close().catch(() => {});
        screen.kill("SIGTERM");
      },
    };
  } catch (error) {
    screen.kill("SIGTERM");
    throw error;
  }
}

/** A screen in memory; the server itself finds a number that is free. */
async function openScreen(): Promise<{ screen: ChildProcess; display: string }> {
  const screen = spawn("Xvfb", ["-displayfd", "3", "-screen", "0", "1280x900x24", "-nolisten", "tcp"], {
    stdio: ["ignore", "ignore", "ignore", "pipe"],
  });
  const [data] = (await Promise.race([
    once(screen.stdio[3] as NodeJS.ReadableStream, "data"),
    once(screen, "error").then(([e]) => Promise.reject(e as Error)),
    new Promise((_, reject) => setTimeout(() => reject(new Error("Xvfb did not start within 20 s.")), 20_000)),
  ])) as [Buffer];
  return { screen, display: `:${data.toString().trim()}` };
}
