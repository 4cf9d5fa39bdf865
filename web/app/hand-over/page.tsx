import { HandOverPage } from "@/features/hand-over/hand-over-page";

export default HandOverPage;
