"use client";
import { App, Button, Input, Modal, Skeleton } from "antd";
import { FileUp, Plus, UsersRound } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useRef, useState } from "react";
import { problemOf } from "../../core/text/problem";
import { download, isOut, json, signedOut, upload } from "../../desk/api";
import { More } from "../common/More";
import { Who } from "../common/Who";
import { Wordmark } from "../common/Wordmark";
import { LimitDialog } from "./LimitDialog";

interface Summary {
  id: string;
  name: string;
  updatedAt: string;
  fileName: string | null;
  hasThumbnail: boolean;
  limited: boolean;
}

/** The list of projects, and the ways to begin one. */
export function Projects() {
  const { message, modal } = App.useApp();
  const router = useRouter();
  const [projects, setProjects] = useState<Summary[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [naming, setNaming] = useState<{ id: string | null; name: string } | null>(null);
  const [opening, setOpening] = useState<number | null>(null);
  const [out, setOut] = useState<string | null>(null);
  const [rules, setRules] = useState<{ locked: string | null; mayLimit: boolean }>({ locked: null, mayLimit: false });
  const [limiting, setLimiting] = useState<Summary | null>(null);
  const load = useCallback(() => {
    const gone = signedOut();
    setOut(gone ? "You are signed out." : null);
    if (gone) return;
    json<{ projects: Summary[]; locked: string | null; mayLimit: boolean }>("/api/projects").then(
      (r) => {
        setProjects(r.projects);
        setRules(r);
        setProblem(null);
      },
      (e: Error) => {
        if (!isOut(e)) setProblem(e.message);
        // Whoever was never here is led in at once; whoever is out reads why first.
        else if (e.body !== null) setOut(e.message);
        else router.replace("/sign-in");
      },
    );
  }, [router]);
  useEffect(load, [load]);

  const save = async () => {
    if (!naming) return;
    try {
      if (naming.id) {
        await json(`/api/projects/${naming.id}`, { method: "PATCH", body: { name: naming.name } });
        setNaming(null);
        load();
      } else {
        const { id } = await json<{ id: string }>("/api/projects", { body: { name: naming.name } });
        router.push(`/project/${id}`);
      }
    } catch (e) {
      message.error(problemOf(e), 6);
    }
  };
  const open = async (chosen: File) => {
    setOpening(0);
    try {
      const { id } = await upload<{ id: string }>("/api/projects/open", chosen, setOpening);
      router.push(`/project/${id}`);
    } catch (e) {
      message.error(problemOf(e), 8);
      setOpening(null);
    }
  };
  const remove = (p: Summary) =>
    modal.confirm({
      title: `Delete "${p.name}"?`,
      content:
        "Its sequences, its assembly and its rounds of review, with all that was said in them, go with it. This cannot be undone; download the project file first if you may need it.",
      okText: "Delete project",
      okButtonProps: { danger: true },
      onOk: () =>
        json(`/api/projects/${p.id}`, { method: "DELETE" }).then(load, (e: Error) => message.error(e.message)),
    });

  return (
    <main className="projects">
      <Head
        out={out !== null}
        opening={opening !== null}
        locked={rules.locked}
        onOpen={(chosen) => void open(chosen)}
        onNew={() => setNaming({ id: null, name: "" })}
      />
      {out !== null && (
        <div className="empty">
          <p>{out}</p>
          <Link href="/sign-in">
            <Button type="primary">Sign in</Button>
          </Link>
        </div>
      )}
      <h1>Projects</h1>
      <p className="lead">A project holds one CAD assembly and the explainer sequences made from it.</p>
      {problem && (
        <div className="problem" role="alert">
          {problem}{" "}
          <Button size="small" onClick={load}>
            Try again
          </Button>
        </div>
      )}
      {!projects && !problem && out === null && <Skeleton active paragraph={{ rows: 4 }} />}
      {out === null && projects?.length === 0 && (
        <div className="empty">No projects yet. Make a new project and drop a STEP file into it.</div>
      )}
      <div className="project-grid">
        {out === null &&
          projects?.map((p) => (
            <ProjectCard
              key={p.id}
              project={p}
              onRename={() => setNaming({ id: p.id, name: p.name })}
              onDelete={() => remove(p)}
              onLimit={rules.mayLimit ? () => setLimiting(p) : null}
              locked={rules.locked}
            />
          ))}
      </div>
      {limiting && (
        <LimitDialog
          project={limiting}
          onDone={() => {
            setLimiting(null);
            load();
          }}
        />
      )}
      <Modal
        title={naming?.id ? "Rename project" : "New project"}
        open={naming !== null}
        okText={naming?.id ? "Rename" : "Make project"}
        onCancel={() => setNaming(null)}
        onOk={save}
        okButtonProps={{ disabled: !naming?.name.trim() }}
        destroyOnHidden
      >
        <Input
          autoFocus
          aria-label="Project name"
          placeholder="Name, e.g. the product's"
          value={naming?.name ?? ""}
          onChange={(e) => setNaming((n) => n && { ...n, name: e.target.value })}
          onPressEnter={() => naming?.name.trim() && save()}
        />
      </Modal>
    </main>
  );
}

/** A project: its picture, name and what can be done with it. */
function ProjectCard({
  project: p,
  onRename,
  onDelete,
  onLimit,
  locked,
}: {
  project: Summary;
  onRename: () => void;
  onDelete: () => void;
  /** Chooses who sees it; null for whoever may not. */
  onLimit: (() => void) | null;
  /** Why nothing may be changed. */
  locked: string | null;
}) {
  const { message } = App.useApp();
  return (
    <article className="project-card">
      <Link href={`/project/${p.id}`} className="project-picture" aria-label={`Open ${p.name}`}>
        {p.hasThumbnail ? (
          <img src={`/api/projects/${p.id}/thumbnail?${p.updatedAt}`} alt="" />
        ) : (
          <span className="project-blank">{p.fileName ? "No picture yet" : "No assembly yet"}</span>
        )}
      </Link>
      <div className="project-line">
        <Link href={`/project/${p.id}`} className="project-name" title={p.name}>
          {p.name}
        </Link>
        <More
          label={`More about ${p.name}`}
          menu={{
            items: [
              { key: "rename", label: "Rename", disabled: locked !== null },
              { key: "file", label: "Download project file", disabled: !p.fileName },
              ...(onLimit ? [{ key: "limit", label: "Who sees it" }] : []),
              { key: "delete", label: "Delete", danger: true, disabled: locked !== null },
            ],
            onClick: ({ key }) => {
              if (key === "rename") onRename();
              if (key === "file")
                download(`/api/projects/${p.id}/file`).catch((e: Error) =>
                  message.error(`The project file cannot be downloaded: ${e.message}`, 8),
                );
              if (key === "limit") onLimit?.();
              if (key === "delete") onDelete();
            },
          }}
        />
      </div>
      <div className="project-note">
        {p.limited && (
          <span className="project-limited" title="Only some of the workspace's people see it">
            <UsersRound size={12} aria-hidden /> limited ·{" "}
          </span>
        )}
        {p.fileName ?? "empty"} ·{" "}
        {new Date(p.updatedAt).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" })}
      </div>
    </article>
  );
}

/** The page's head: who one is, and the two ways to begin a project. */
function Head({
  out,
  opening,
  locked,
  onOpen,
  onNew,
}: {
  out: boolean;
  opening: boolean;
  /** Why nothing may be made. */
  locked: string | null;
  onOpen: (file: File) => void;
  onNew: () => void;
}) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <header className="projects-head">
      <Wordmark />
      <div className="grow" />
      {!out && <Who />}
      <Button
        icon={<FileUp size={15} />}
        disabled={out || locked !== null}
        title={locked ?? undefined}
        loading={opening}
        onClick={() => file.current?.click()}
      >
        Open project file
      </Button>
      <Button
        type="primary"
        icon={<Plus size={15} />}
        disabled={out || locked !== null}
        title={locked ?? undefined}
        onClick={onNew}
      >
        New project
      </Button>
      <input
        ref={file}
        type="file"
        accept=".zip"
        hidden
        aria-label="Project file"
        onChange={(e) => {
          const chosen = e.target.files?.[0];
          e.target.value = "";
          if (chosen) onOpen(chosen);
        }}
      />
    </header>
  );
}
