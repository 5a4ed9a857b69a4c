"use client";
import type { DragEvent } from "react";
import { addSoundFiles, type SoundPlace } from "../../desk/acts/soundActs";
import { useDesk } from "../desk/context";

/** Lets sound files be dropped on something. @param place where they go, by where they are let go of */
export function useSoundDrop(place: (e: DragEvent) => SoundPlace | null): {
  onDragOver(e: DragEvent): void;
  onDrop(e: DragEvent): void;
} {
  const desk = useDesk();
  const files = (e: DragEvent) => e.dataTransfer.types.includes("Files");
  return {
    onDragOver(e) {
      if (files(e)) e.preventDefault();
    },
    onDrop(e) {
      if (!files(e)) return;
      e.preventDefault();
      const at = place(e);
      const dropped = [...e.dataTransfer.files];
      if (at && dropped.length > 0) void addSoundFiles(desk, dropped, at);
    },
  };
}
