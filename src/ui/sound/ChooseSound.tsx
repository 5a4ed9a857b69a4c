"use client";
import { useRef } from "react";

/** Kinds of files that are offered. */
const ACCEPT = "audio/*,.wav,.mp3,.m4a,.ogg,.oga,.opus,.flac,.webm";

/** Asks for sound files. @returns the hidden field, to be put somewhere, and what opens it */
export function useChooseSound(
  label: string,
  take: (files: File[]) => void,
  several = true,
): { field: React.ReactNode; choose(): void } {
  const input = useRef<HTMLInputElement>(null);
  return {
    choose: () => input.current?.click(),
    field: (
      <input
        ref={input}
        type="file"
        multiple={several}
        accept={ACCEPT}
        hidden
        aria-label={label}
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = "";
          if (files.length > 0) take(files);
        }}
      />
    ),
  };
}
