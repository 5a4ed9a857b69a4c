import { MOVE_COLOURS } from "../../core/moves/kind";

/** Small squares of the colours a move may be marked with. */
export function Colours({
  value,
  label,
  onTake,
  empty = true,
}: {
  value: string | null;
  label: string;
  onTake: (c: (typeof MOVE_COLOURS)[number] | null) => void;
  empty?: boolean;
}) {
  return (
    <fieldset className="colours" aria-label={label}>
      {empty && (
        <button
          type="button"
          aria-pressed={value === null}
          aria-label="No colour"
          className="swatch none"
          onClick={() => onTake(null)}
        />
      )}
      {MOVE_COLOURS.map((c) => (
        <button
          key={c}
          type="button"
          aria-pressed={value === c}
          aria-label={c}
          title={c}
          className="swatch"
          style={{ background: `var(--mark-${c})` }}
          onClick={() => onTake(c)}
        />
      ))}
    </fieldset>
  );
}
