import { Invited } from "../../ui/people/Invited";

export default function Page() {
  return <Invited />;
}
