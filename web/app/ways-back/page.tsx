import { WaysBackPage } from "@/features/ways-back/ways-back-page";

export default WaysBackPage;
