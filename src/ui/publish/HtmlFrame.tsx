"use client";
import { useEffect, useRef } from "react";

/** Shows a document of its own in a frame that reaches nothing of the app; see server/http/frame.ts. */
export function HtmlFrame({ html, title, testId }: { html: string; title: string; testId: string }) {
  const frame = useRef<HTMLIFrameElement>(null);
  useEffect(() => {
    const give = (e: MessageEvent) => {
      const window = frame.current?.contentWindow;
      // Its origin is none, so that it can be told only whom it is.
      if (window && e.source === window && e.data === "frame") window.postMessage(html, "*");
    };
    addEventListener("message", give);
    return () => removeEventListener("message", give);
  }, [html]);
  return <iframe ref={frame} title={title} data-testid={testId} sandbox="allow-scripts" src="/frame" />;
}
