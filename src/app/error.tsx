"use client";
import { Broken } from "../ui/common/Broken";

/** A page that broke: loaded afresh, for what it held in memory cannot be trusted any more. */
export default function PageBroke({ error }: { error: Error & { digest?: string } }) {
  return <Broken error={error} again={() => location.reload()} />;
}
