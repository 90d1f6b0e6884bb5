/** Light ("paper"), dark ("lamp"), or as the system says. */
export type Theme = "auto" | "paper" | "lamp";

const KEY = "meanbead.theme";

export function storedTheme(): Theme {
  const stored = localStorage.getItem(KEY);
  return stored === "paper" || stored === "lamp" ? stored : "auto";
}

export function setTheme(theme: Theme): void {
  if (theme === "auto") {
    localStorage.removeItem(KEY);
    document.documentElement.removeAttribute("data-theme");
  } else {
    localStorage.setItem(KEY, theme);
    document.documentElement.setAttribute("data-theme", theme);
  }
}

export function applyStoredTheme(): void {
  setTheme(storedTheme());
}
