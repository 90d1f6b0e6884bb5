import "./run.css";
import { speak } from "./lib/language";
import { applyStoredTheme } from "./lib/theme";

applyStoredTheme();
void speak().then(() => import("./startRun"));
