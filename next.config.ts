import type { NextConfig } from "next";

const config: NextConfig = {
  serverExternalPackages: [
    "mysql2",
    "pino",
    "prom-client",
    "nodemailer",
    "@zxcvbn-ts/language-common",
    "gltf-validator",
    "opencascade.js",
    "draco3dgltf",
  ],
  poweredByHeader: false,
  // bin/test has checked all of them, those of the tests as well.
  typescript: { ignoreBuildErrors: true },
  // The same sources are the same version, on whichever machine they were built.
  generateBuildId: () => process.env.PLEXTAN_BUILD?.slice(0, 20) || null,
  // Two copies of an effect would start two stages; the desk mounts once.
  reactStrictMode: false,
  devIndicators: false,
};
export default config;
