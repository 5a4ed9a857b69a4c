"use client";
import { App, ConfigProvider } from "antd";
import type { ReactNode } from "react";
import { THEME } from "./theme";

/** Theme and message surface round every page. */
export function Frame({ children }: { children: ReactNode }) {
  return (
    <ConfigProvider theme={THEME}>
      <App message={{ maxCount: 3 }}>{children}</App>
    </ConfigProvider>
  );
}
