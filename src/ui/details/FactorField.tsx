"use client";
import { parseFactor } from "../../desk/typing/arithmetic";
import { Field } from "../common/Field";

/** A factor that is typed to scale something by, with its label; a negative one is taken where it can flip. */
export function FactorField({
  label,
  ariaLabel = label,
  flips = false,
  onTake,
}: {
  label: string;
  ariaLabel?: string;
  flips?: boolean;
  onTake: (factor: number) => void;
}) {
  return (
    <>
      <span>{label}</span>
      <Field
        ariaLabel={ariaLabel}
        value="1"
        suffix="×"
        parse={(text) => {
          const back = flips && text.trim().startsWith("-");
          const f = parseFactor(back ? text.trim().slice(1) : text);
          if (f === null) return { error: `A factor${flips ? "" : " above 0"}, such as 0.5, 2, 3/4 or 120 %.` };
          onTake(back ? -f : f);
          return null;
        }}
      />
    </>
  );
}
