import "./index.css";
import { speak } from "./lib/language";
import { applyStoredTheme } from "./lib/theme";

applyStoredTheme();
// Texts are read as modules are evaluated: whatever holds any comes after the language.
void speak().then(() => import("./start"));
