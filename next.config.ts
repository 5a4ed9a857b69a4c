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
  // Two copies of an effect would start two stages; the desk mounts once.
  reactStrictMode: false,
  devIndicators: false,
};
export default config;
