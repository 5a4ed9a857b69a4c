"use client";
import { Alert, Button, Form, Input, Select, Skeleton } from "antd";
import Link from "next/link";
import { useCallback, useEffect, useRef, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { plain } from "../../desk/api";
import { Door, DoorForm } from "../people/Door";
import { useSecret } from "../people/secret";
import type { Draft } from "./draft";
import { ReviewView } from "./ReviewView";

type Asked = { round: string } | { asks: { password: boolean; names: string[] | null } };

/** A round of review: by the secret of a link, or, for people of the workspace, by its address. */
export function ReviewPage() {
  const secret = useSecret();
  const [round, setRound] = useState<string | null>(null);
  const [asks, setAsks] = useState<{ password: boolean; names: string[] | null } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  // What is being written survives the round that it is written on.
  const draft = useRef<Draft | null>(null);
  const enter = useCallback((id: string) => {
    // So that a reload, or the address sent to a colleague, leads here again.
    history.replaceState(history.state, "", `/review?round=${id}`);
    setRound(id);
  }, []);
  useEffect(() => {
    if (secret === null) return;
    const asked = new URLSearchParams(location.search).get("round");
    if (secret === "") {
      if (asked && /^[a-z0-9]{20}$/.test(asked)) setRound(asked);
      else setProblem("This address is not whole. Open the link as it was sent, to its last letter.");
      return;
    }
    plain<Asked>("/api/review", "POST", { secret, name: null, password: null }).then(
      (a) => ("asks" in a ? setAsks(a.asks) : enter(a.round)),
      (e: unknown) => setProblem(problemOf(e)),
    );
  }, [secret, enter]);
  if (round)
    return (
      <ReviewView
        key={round}
        id={round}
        draft={draft}
        onMoved={(next) => {
          enter(next);
        }}
      />
    );
  if (problem)
    return (
      <Door title="Nothing to see here">
        <Alert type="warning" role="alert" title={problem} />
        <Link href="/sign-in">
          <Button block>Sign in</Button>
        </Link>
      </Door>
    );
  if (!asks) return <Door title="Review">{<Skeleton active paragraph={{ rows: 3 }} />}</Door>;
  return (
    <Door title="You are asked for a review">
      <p className="soft">
        {asks.names ? "Choose your name, and you are in." : "Say who you are, and you are in. No account is needed."}
      </p>
      <DoorForm<{ name: string; password?: string }>
        action="Start"
        onGo={async ({ name, password }) => {
          const a = await plain<Asked>("/api/review", "POST", { secret, name, password: password ?? null });
          if ("round" in a) enter(a.round);
        }}
      >
        <Form.Item name="name" label="Your name" rules={[{ required: true, message: "Give your name." }]}>
          {asks.names ? (
            <Select size="large" options={asks.names.map((n) => ({ value: n, label: n }))} />
          ) : (
            <Input size="large" autoComplete="name" maxLength={100} autoFocus />
          )}
        </Form.Item>
        {asks.password && (
          <Form.Item
            name="password"
            label="Password of the link"
            rules={[{ required: true, message: "Type the password that came with the link." }]}
          >
            <Input.Password size="large" autoComplete="off" />
          </Form.Item>
        )}
      </DoorForm>
    </Door>
  );
}
