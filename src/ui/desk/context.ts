"use client";
import { createContext, useContext } from "react";
import { useStore } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { Sequence } from "../../core/document/sequence";
import type { Desk } from "../../desk/port";
import type { DeskState } from "../../desk/state";

export const DeskContext = createContext<Desk | null>(null);

/** The desk this interface belongs to. */
export function useDesk(): Desk {
  const desk = useContext(DeskContext);
  if (!desk) throw new Error("There is no desk here.");
  return desk;
}

/** A part of the desk's state; the component renders again when it changes. */
export function useDeskState<T>(selector: (state: DeskState) => T): T {
  return useStore(useDesk().store, selector);
}

/** The open sequence; renders again with every edit. */
export function useSequence(): Sequence {
  const id = useDeskState((s) => s.sequenceId);
  return useDeskState((s) => s.sequences.find((q) => q.id === id)?.body) as Sequence;
}

/**
 * Something of the open sequence; the component renders again when that changes, not with every edit. What comes of the
 * selector is compared entry by entry: a list or an object of its own may be made of it.
 */
export function useOfSequence<T>(selector: (sequence: Sequence) => T): T {
  return useDeskState(
    useShallow((s: DeskState) => selector(s.sequences.find((q) => q.id === s.sequenceId)?.body as Sequence)),
  );
}
