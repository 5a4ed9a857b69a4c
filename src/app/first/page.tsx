import { First } from "../../ui/people/First";

export default function Page() {
  return <First />;
}
