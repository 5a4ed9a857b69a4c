"use client";
import { Button } from "antd";
import { useEffect } from "react";
import { Door } from "../people/Door";

/** In place of a page that broke: what happened to the work, and the way on. */
export function Broken({ error, again }: { error: Error & { digest?: string }; again(): void }) {
  useEffect(() => {
    console.error(error);
  }, [error]);
  return (
    <Door title="This page broke">
      <p>
        That is a fault of ours. What you did until then is kept: saved, or in this browser, from where it is saved as
        soon as the page is open again.
      </p>
      <p className="soft">
        If it breaks again at the same place, tell whoever runs Plextan here{error.digest ? ` (${error.digest})` : ""}:{" "}
        <code>{error.message.slice(0, 200)}</code>
      </p>
      <div className="row wrap">
        <Button type="primary" onClick={again}>
          Open it again
        </Button>
        <Button href="/">All projects</Button>
      </div>
    </Door>
  );
}
