"use client";
import { App, ConfigProvider } from "antd";
import { type ReactNode, useEffect, useSyncExternalStore } from "react";
import { THEME } from "./theme";
import { Updated } from "./Updated";

const STILL = "(prefers-reduced-motion: reduce)";
const subscribe = (changed: () => void) => {
  const query = matchMedia(STILL);
  query.addEventListener("change", changed);
  return () => query.removeEventListener("change", changed);
};

/** Theme and message surface round every page. Menus open without motion for those who ask their system for that. */
export function Frame({ children }: { children: ReactNode }) {
  const still = useSyncExternalStore(
    subscribe,
    () => matchMedia(STILL).matches,
    () => false,
  );
  // Told in the page, since before that its buttons are only a picture.
  useEffect(() => {
    document.documentElement.dataset.alive = "";
  }, []);
  return (
    <ConfigProvider theme={still ? { ...THEME, token: { ...THEME.token, motion: false } } : THEME}>
      <App message={{ maxCount: 3 }}>
        {children}
        <Updated />
      </App>
    </ConfigProvider>
  );
}
