"use client";
import { useEffect, useState } from "react";

/** The last one that was taken out of the address: a page may be mounted anew after that. */
let taken: { path: string; secret: string } | null = null;

/**
 * The secret that a link carries behind its #, which browsers never send anywhere; it is taken out of the address at
 * once, so that it does not stay in the history. Null until the page is alive; "" without one.
 */
export function useSecret(): string | null {
  const [secret, setSecret] = useState<string | null>(null);
  useEffect(() => {
    const take = () => {
      const found = location.hash.slice(1);
      if (found) {
        taken = { path: location.pathname, secret: found };
        history.replaceState(history.state, "", location.pathname);
      }
      setSecret(taken?.path === location.pathname ? taken.secret : "");
    };
    take();
    // The whole address, pasted over one that was not: the page stays, only what is behind the # is new.
    window.addEventListener("hashchange", take);
    return () => window.removeEventListener("hashchange", take);
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
