"use client";
import { Alert, Button, Skeleton } from "antd";
import Link from "next/link";
import { useEffect, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { plain } from "../../desk/api";
import { Door, DoorForm } from "./Door";
import { NameField, NewPasswordField } from "./fields";
import { useSecret } from "./secret";

interface Said {
  workspace: string;
  email: string;
  role: string;
  by: string;
}

/** Accepting an invitation: name and password, and one is in. */
export function Invited() {
  const secret = useSecret();
  const [said, setSaid] = useState<Said | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    if (secret === null) return;
    plain<Said>("/api/invitation", "POST", { secret }).then(setSaid, (e: unknown) => setProblem(problemOf(e)));
  }, [secret]);
  if (problem)
    return (
      <Door title="This invitation cannot be accepted">
        <Alert type="warning" role="alert" title={problem} />
        <Link href="/sign-in">
          <Button block>Sign in</Button>
        </Link>
      </Door>
    );
  if (!said) return <Door title="Invitation">{<Skeleton active paragraph={{ rows: 4 }} />}</Door>;
  return (
    <Door title={`Join ${said.workspace}`}>
      <p>
        {said.by} invites you as <b>{said.role}</b>. The account is for <b className="breakable">{said.email}</b>.
      </p>
      <p className="soft">Whoever is signed in in this browser is signed out by it.</p>
      <DoorForm<{ name: string; password: string }>
        action="Join"
        onGo={async (values) => {
          await plain("/api/invitation", "PUT", { secret, ...values }, true);
          location.assign("/");
        }}
      >
        {/* For password keepers: what the password belongs to. */}
        <input type="text" name="username" autoComplete="username" value={said.email} readOnly hidden />
        <NameField />
        <NewPasswordField />
      </DoorForm>
    </Door>
  );
}
