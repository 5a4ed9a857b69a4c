"use client";
import { Button } from "antd";
import { PackageOpen } from "lucide-react";
import { type ReactNode, useRef, useState } from "react";
import { CHOOSABLE } from "../../core/assembly/sourceFormats";

export /** Most files of a dropped folder. */
const FILES_MOST = 2000;

/** The files of a drop, those in folders as well. */
async function filesOf(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].map((i) => i.webkitGetAsEntry?.() ?? null);
  if (!entries.some((e) => e?.isDirectory)) return [...transfer.files];
  const out: File[] = [];
  const open = entries.filter((e) => e !== null);
  for (let entry = open.shift(); entry && out.length < FILES_MOST; entry = open.shift()) {
    const at = entry;
    if (at.isFile) out.push(await new Promise<File>((done, fail) => (at as FileSystemFileEntry).file(done, fail)));
    else {
      const reader = (at as FileSystemDirectoryEntry).createReader();
      // A reader gives its entries in portions, until it gives none.
      for (;;) {
        const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
        if (some.length === 0) break;
        open.push(...some);
      }
    }
  }
  return out;
}

/** A place to drop a CAD file with what belongs to it, or to choose them. */
export function DropFiles({
  label,
  title,
  children,
  small = false,
  hint,
  onFiles,
}: {
  label: string;
  title: string;
  children?: ReactNode;
  small?: boolean;
  /** In place of what kinds of files are taken. */
  hint?: string;
  onFiles: (files: File[]) => void;
}) {
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  return (
    <section
      className={`drop ${over ? "over" : ""} ${small ? "small" : ""}`}
      aria-label={label}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        void filesOf(e.dataTransfer).then((files) => files.length > 0 && onFiles(files));
      }}
    >
      <PackageOpen size={small ? 28 : 40} strokeWidth={1.2} />
      <h2>{title}</h2>
      <p hidden={hint !== undefined}>
        Drop a CAD assembly here: STEP, IGES, BREP up to 100 MB; GLB, glTF, OBJ, STL, 3MF up to 104 MB.
        <br />
        <span className="soft">
          Files that belong together (.gltf with .bin, .obj with .mtl and pictures) are dropped together, or as their
          folder or a zip; so are STEP assemblies whose parts lie in files of their own.
        </span>
      </p>
      {hint !== undefined && <p>{hint}</p>}
      <Button type="primary" size={small ? "middle" : "large"} onClick={() => input.current?.click()}>
        Choose a file
      </Button>
      <input
        ref={input}
        type="file"
        multiple
        accept={CHOOSABLE}
        hidden
        aria-label="CAD file"
        onChange={(e) => {
          const files = [...(e.target.files ?? [])];
          e.target.value = "";
          if (files.length > 0) onFiles(files);
        }}
      />
      {children}
    </section>
  );
}
