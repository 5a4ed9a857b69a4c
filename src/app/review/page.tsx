import { ReviewPage } from "../../ui/review/ReviewPage";

export default function Page() {
  return <ReviewPage />;
}
