import { SettingsPage } from "@/features/settings/settings-page";

export default SettingsPage;
