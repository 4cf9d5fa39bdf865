import { TracesPage } from "@/features/traces/traces-page";

export default TracesPage;
