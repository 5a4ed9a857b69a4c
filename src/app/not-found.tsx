import Link from "next/link";
import { Door } from "../ui/people/Door";

/** An address that leads nowhere. */
export default function NotFound() {
  return (
    <Door title="There is nothing here">
      <p>The address may be mistyped, or what it led to was removed.</p>
      <p>
        <Link href="/">All projects</Link>
      </p>
    </Door>
  );
}
