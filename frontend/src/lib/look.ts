/** The day and the night look: the system's, until the person chooses one in this browser. */
const KEY = "night";

const put = (night: boolean) => document.documentElement.classList.toggle("night", night);

/** Puts on the look that was chosen, or the system's, and goes on following it; returns a way to stop. */
export function dress(): () => void {
  const system = matchMedia("(prefers-color-scheme: dark)");
  const follow = () => {
    const chosen = localStorage.getItem(KEY);
    put(chosen === null ? system.matches : chosen === "1");
  };
  follow();
  system.addEventListener("change", follow);
  return () => system.removeEventListener("change", follow);
}

/** Chooses the other look, and remembers it. */
export function turn(): void {
  const night = !document.documentElement.classList.contains("night");
  put(night);
  localStorage.setItem(KEY, night ? "1" : "0");
}
