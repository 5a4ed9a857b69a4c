import { Audit } from "../../ui/people/Audit";

export default function Page() {
  return <Audit />;
}
