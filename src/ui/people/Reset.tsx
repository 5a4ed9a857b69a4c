"use client";
import { Alert, Button } from "antd";
import Link from "next/link";
import { useEffect, useState } from "react";
import { plain } from "../../desk/api";
import { Door, DoorForm } from "./Door";
import { EmailField, NewPasswordField } from "./fields";
import { useSecret } from "./secret";

/** Asking for a new password, and, with the secret that was sent, choosing it. */
export function Reset() {
  const secret = useSecret();
  const [asked, setAsked] = useState(false);
  const [leaves, setLeaves] = useState(true);
  useEffect(() => {
    plain<{ mailLeaves: boolean }>("/api/first").then(
      (r) => setLeaves(r.mailLeaves),
      () => {},
    );
  }, []);
  if (secret === null) return null;
  if (secret !== "")
    return (
      <Door title="Choose a new password">
        <p className="soft">All browsers that are signed in with this account are signed out.</p>
        <DoorForm<{ password: string }>
          action="Take this password"
          onGo={async ({ password }) => {
            await plain("/api/reset", "PUT", { secret, password }, true);
            location.assign("/");
          }}
        >
          <NewPasswordField autoFocus />
        </DoorForm>
        <Link href="/reset" onClick={() => location.assign("/reset")}>
          <Button type="link" block>
            Ask for another link
          </Button>
        </Link>
      </Door>
    );
  return (
    <Door title="A new password">
      {asked ? (
        <>
          <Alert
            type="info"
            role="status"
            title="If there is an account with this address, a link is on its way. It is good for an hour."
          />
          {!leaves && (
            <p className="soft">
              This installation has no mail server: its owners find the mail in the outbox and can hand it over.
            </p>
          )}
        </>
      ) : (
        <DoorForm<{ email: string }>
          action="Send a link"
          onGo={async ({ email }) => {
            await plain("/api/reset", "POST", { email });
            setAsked(true);
          }}
        >
          <EmailField autoFocus />
        </DoorForm>
      )}
      <Link href="/sign-in">
        <Button type="link" block>
          Back to signing in
        </Button>
      </Link>
    </Door>
  );
}
