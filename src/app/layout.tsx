import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/500.css";
import "@fontsource/ibm-plex-sans/400.css";
import "@fontsource/ibm-plex-sans/500.css";
import "@fontsource/ibm-plex-sans/600.css";
import type { Metadata } from "next";
import type { ReactNode } from "react";
import { buildName } from "../server/build";
import { Frame } from "../ui/common/Frame";
import { Styles } from "../ui/common/Styles";
import { COLORS } from "../ui/common/theme";
import "antd/dist/antd.css";
import "./globals.css";

// Every page carries a nonce of its own, so none can be made beforehand.
export const dynamic = "force-dynamic";
export const metadata: Metadata = { title: "Plextan", description: "Explainer sequences from CAD assemblies" };

const variables = `:root{${Object.entries(COLORS)
  .map(([name, value]) => `--${name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)}:${value}`)
  .join(";")}}`;

export default function RootLayout({ children }: { children: ReactNode }) {
  return (
    <html lang="en" data-build={buildName()}>
      <head>
        <style>{variables}</style>
      </head>
      <body>
        <Styles>
          <Frame>{children}</Frame>
        </Styles>
      </body>
    </html>
  );
}
