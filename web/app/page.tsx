import { Desk } from "@/features/desk/desk";

export default Desk;
