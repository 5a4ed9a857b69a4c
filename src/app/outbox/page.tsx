import { Outbox } from "../../ui/people/Outbox";

export default function Page() {
  return <Outbox />;
}
