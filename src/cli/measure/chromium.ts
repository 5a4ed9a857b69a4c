/**
 * How Chromium is started for measuring and for the browser tests: alone, without calls home, and drawing in software
 * by way of Mesa, which is the faster of its ways without a graphics card.
 */
export const CHROMIUM_ARGS: readonly string[] = [
  "--no-sandbox",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
  "--use-gl=angle",
  "--use-angle=gl-egl",
  "--ignore-gpu-blocklist",
];
