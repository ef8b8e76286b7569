export type Theme = "light" | "dark" | "system";

const key = "uchi-theme";

export function chosenTheme(): Theme {
  const t = localStorage.getItem(key);
  return t === "light" || t === "dark" ? t : "system";
}

export function applyTheme(theme: Theme = chosenTheme()) {
  if (theme === "system") localStorage.removeItem(key);
  else localStorage.setItem(key, theme);
  const dark = theme === "dark" || (theme === "system" && matchMedia("(prefers-color-scheme: dark)").matches);
  document.documentElement.dataset["theme"] = dark ? "dark" : "light";
}
