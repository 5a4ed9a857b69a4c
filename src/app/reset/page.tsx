import { Reset } from "../../ui/people/Reset";

export default function Page() {
  return <Reset />;
}
