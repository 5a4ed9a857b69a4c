"use client";
import { Alert, Button, Form } from "antd";
import Link from "next/link";
import { type ReactNode, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { Wordmark } from "../common/Wordmark";

/** A page before signing in: one box with one thing to do. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="waiting">
      <Link href="/" aria-label="Plextan">
        <Wordmark />
      </Link>
      <div className="waiting-box">
        <h1 className="door-title">{title}</h1>
        {children}
      </div>
    </main>
  );
}

/** A form whose only button does one thing and says what kept it from that. */
export function DoorForm<T extends object>({
  action,
  initial,
  second = false,
  children,
  onGo,
}: {
  /** What the button says. */
  action: string;
  initial?: Partial<T>;
  /** Beside another that is likelier: its button is a plain one. */
  second?: boolean;
  children: ReactNode;
  onGo: (values: T) => Promise<void>;
}) {
  const [problem, setProblem] = useState<string | null>(null);
  const [going, setGoing] = useState(false);
  const go = async (values: T) => {
    setGoing(true);
    setProblem(null);
    try {
      await onGo(values);
    } catch (error) {
      setProblem(problemOf(error));
    } finally {
      setGoing(false);
    }
  };
  return (
    <Form
      layout="vertical"
      requiredMark={false}
      className="door-form"
      {...(initial ? { initialValues: initial } : {})}
      onFinish={(values) => void go(values as T)}
    >
      {children}
      {problem && <Alert type="error" role="alert" title={problem} showIcon className="door-problem" />}
      <Button type={second ? "default" : "primary"} htmlType="submit" block size="large" loading={going}>
        {action}
      </Button>
    </Form>
  );
}
