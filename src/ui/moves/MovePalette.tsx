"use client";
import { Input } from "antd";
import { useMemo, useState } from "react";
import { targetsFor } from "../../core/edit/moveCommands";
import type { SettingField } from "../../core/moves/kind";
import { MOVE_KINDS } from "../../core/moves/kinds";
import { problemOf } from "../../core/text/problem";
import { addDraft, beginMove, makeContext, selectedTargets } from "../../desk/acts/moveActions";
import { type Phrase, readPhrase, wordsBeyond } from "../../desk/acts/phrase";
import { applyPhrase } from "../../desk/acts/phrasing";
import { replaceByFresh } from "../../desk/acts/replaceAct";
import { targetName } from "../../desk/names";
import { targetOf } from "../../desk/selection/selecting";
import { besideOf, seenAt } from "../../desk/showing/beside";
import { useDesk } from "../desk/context";
import { MoveIcon } from "./MoveIcon";

interface Entry {
  kind: { kind: string; title: string; about: string; words: readonly string[]; fields?: readonly SettingField[] };
  fault: string | null;
}

/** Width of the list, and how far below the upper edge of the stage it begins, CSS pixels. */
const WIDTH = 348;
const TOP = 46;

/** What says that a move is about the parts' own axes. */
const OWN = ["own", "spin"];

/** Not a kind of move but several at once. */
const REPLACE = {
  kind: "replace",
  title: "Replace by a fresh one",
  about: "The old one comes out and is set beside, a fresh copy goes in; labels tell them apart.",
  words: ["new", "swap", "exchange", "spare", "change part"],
};

/** Every ready-made move, found by typing; arrows and Enter choose. What cannot be made for the selection says why. */
export function MovePalette() {
  const desk = useDesk();
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const targets = selectedTargets(desk);
  const entries = useMemo((): Entry[] => {
    const context = makeContext(desk);
    const one = targetOf(desk)?.type === "node";
    const act: Entry = { kind: REPLACE, fault: one ? null : "Select the one part or sub-assembly that is replaced." };
    const kinds = MOVE_KINDS.filter((k) => k.kind !== "back").map((kind) => {
      let fault: string | null = null;
      try {
        const acts = targetsFor(kind.kind, context);
        if (kind.kind !== "unscrew")
          kind.defaults({ ...context, targets: kind.acts === "camera" ? context.targets : acts });
      } catch (error) {
        fault = problemOf(error);
      }
      return { kind, fault };
    });
    return [...kinds.slice(0, 5), act, ...kinds.slice(5)];
  }, [desk]);
  // Several moves may be told one after another; the list is for the last of them.
  const told = text.split(";").map(readPhrase);
  const phrase = told[told.length - 1] ?? readPhrase("");
  const found = entriesFor(entries, phrase);
  const close = () => {
    desk.set({ dialog: null });
    desk.view?.canvas.focus();
  };
  const choose = (i: number, atOnce = false) => {
    const entry = found[i];
    if (!entry) return;
    const all = [...told.slice(0, -1).map((p) => ({ entry: entriesFor(entries, p)[0], phrase: p })), { entry, phrase }];
    const fault = all.find((a) => !a.entry || a.entry.fault);
    if (fault) {
      desk.notify("problem", fault.entry?.fault ?? `No move is called "${fault.phrase.words.join(" ")}".`);
      return;
    }
    close();
    for (const [n, { entry: e, phrase: p }] of all.entries()) {
      if (!e) return;
      if (e.kind.kind === REPLACE.kind) {
        void replaceByFresh(desk);
        return;
      }
      const own = OWN.some((w) => p.words.includes(w));
      if (!beginMove(desk, e.kind.kind, own) || !applyPhrase(desk, p)) return;
      if (n < all.length - 1 || atOnce) addDraft(desk);
    }
  };
  const [place] = useState(() => {
    const box = desk.view?.canvas.getBoundingClientRect();
    if (!box) return {};
    const frame = { left: box.left, top: box.top + TOP, right: box.right, bottom: box.bottom };
    const { left, top } = besideOf(frame, { width: WIDTH, height: box.height - TOP }, seenAt(desk, targets));
    return { left, top, width: WIDTH };
  });
  const what =
    targets.length === 0
      ? "nothing is selected: camera and look"
      : targets.length === 1 && targets[0]
        ? targetName(desk, targets[0])
        : `${targets.length} parts`;
  return (
    <div
      className="move-palette"
      role="dialog"
      aria-label="Moves"
      style={place}
      onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && desk.set({ dialog: null })}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Escape") close();
      }}
    >
      <h4 className="found-for">A move for {what}</h4>
      <Input
        autoFocus
        aria-label="Find a move"
        placeholder="take off · turn own 2 turns · orbit -40° in 3 s …"
        value={text}
        role="combobox"
        aria-expanded="true"
        aria-controls="move-list"
        aria-activedescendant={found[at] ? `move-${found[at].kind.kind}` : undefined}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(found.length - 1, at + 1));
          else if (e.key === "ArrowUp") setAt(Math.max(0, at - 1));
          else if (e.key === "Enter") choose(at, e.ctrlKey || e.metaKey);
          else return;
          e.preventDefault();
          document
            .getElementById(`move-${found[e.key === "ArrowDown" ? at + 1 : at - 1]?.kind.kind}`)
            ?.scrollIntoView({ block: "nearest" });
        }}
      />
      <div className="move-kinds" id="move-list" role="listbox" aria-label="Moves">
        {found.map(({ kind, fault }, i) => (
          <button
            type="button"
            key={kind.kind}
            id={`move-${kind.kind}`}
            role="option"
            aria-selected={i === at}
            tabIndex={-1}
            className={`move-kind ${i === at ? "at" : ""} ${fault ? "off" : ""}`}
            onMouseMove={() => setAt(i)}
            // Keeps the focus in the field, so that a click is not taken for leaving.
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => choose(i)}
          >
            <MoveIcon kind={kind.kind} />
            <strong>{kind.title}</strong>
            <span className="soft ellipsis" title={fault ?? kind.about}>
              {fault ?? kind.about}
            </span>
          </button>
        ))}
        {found.length === 0 && (
          <p className="soft">No move is called that. Try another word, such as "turn" or "camera".</p>
        )}
      </div>
      <p className="soft found-hint">
        After the name: values (orbit 140 above 12), and back, in 2 s, 3 times, for good, steady; a semicolon begins
        another. Enter shows it, Ctrl+Enter makes it at once.
      </p>
    </div>
  );
}

/** The moves that a phrase may mean, the likeliest first. */
function entriesFor(entries: readonly Entry[], { words }: Phrase): Entry[] {
  return (
    entries
      .filter(({ kind }) => wordsBeyond(words, kind) !== null)
      // What was typed decides first: who types "slide" with a locked part selected wants to be told, not another move.
      .sort(
        (a, b) =>
          rank(a.kind.title, words) - rank(b.kind.title, words) || Number(a.fault !== null) - Number(b.fault !== null),
      )
  );
}

/** Titles that begin with what was typed come first. */
const rank = (title: string, words: readonly string[]) =>
  words[0] && title.toLowerCase().startsWith(words[0]) ? 0 : 1;
