"use client";
import { useEffect, useState } from "react";

/**
 * The secret that a link carries behind its #, which browsers never send anywhere; it is taken out of the address at
 * once, so that it does not stay in the history. Null until the page is alive; "" without one.
 */
export function useSecret(): string | null {
  const [secret, setSecret] = useState<string | null>(null);
  useEffect(() => {
    const found = location.hash.slice(1);
    if (found) history.replaceState(history.state, "", location.pathname);
    setSecret((known) => found || known || "");
  }, []);
  return secret;
}

/** Where to go after signing in: a page of ours that `?to=` names, or the projects. */
export function goalOf(search: string): string {
  const to = new URLSearchParams(search).get("to") ?? "/";
  try {
    const url = new URL(to, location.origin);
    return url.origin === location.origin && to.startsWith("/") ? `${url.pathname}${url.search}` : "/";
  } catch {
    return "/";
  }
}
