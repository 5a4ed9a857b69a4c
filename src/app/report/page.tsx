import { ReportPage } from "../../ui/review/ReportPage";

export default function Page() {
  return <ReportPage />;
}
