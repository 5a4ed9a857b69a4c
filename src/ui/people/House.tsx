"use client";
import { Button } from "antd";
import Link from "next/link";
import { usePathname } from "next/navigation";
import type { ReactNode } from "react";
import { Who } from "../common/Who";
import { Wordmark } from "../common/Wordmark";

const PAGES = [
  { path: "/people", text: "People" },
  { path: "/audit", text: "What was done" },
  { path: "/outbox", text: "Outbox" },
] as const;

/** A page about people: head, the owner's pages beside each other, and a line of what it is for. */
export function House({
  title,
  lead,
  owners = true,
  problem,
  onAgain,
  children,
}: {
  title: string;
  lead: string;
  /** One of the owners' pages. */
  owners?: boolean;
  problem: string | null;
  onAgain: () => void;
  children: ReactNode;
}) {
  const here = usePathname();
  return (
    <main className="projects">
      <header className="projects-head">
        <Link href="/" aria-label="Plextan, all projects">
          <Wordmark />
        </Link>
        <div className="grow" />
        <Who />
      </header>
      {owners && (
        <nav className="house-pages" aria-label="Workspace">
          {PAGES.map(({ path, text }) => (
            <Link key={path} href={path} aria-current={path === here ? "page" : undefined}>
              {text}
            </Link>
          ))}
        </nav>
      )}
      <h1>{title}</h1>
      <p className="lead">{lead}</p>
      {problem && (
        <div className="problem" role="alert">
          {problem}{" "}
          <Button size="small" onClick={onAgain}>
            Try again
          </Button>
        </div>
      )}
      {children}
    </main>
  );
}
