import { ActivityPage } from "@/features/activity/activity-page";

export default ActivityPage;
