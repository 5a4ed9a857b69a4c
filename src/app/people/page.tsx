import { People } from "../../ui/people/People";

export default function Page() {
  return <People />;
}
