/** What was laid on last, remembered by this browser. */
const MOST = 8;
const key = (family: string) => `used:${family}`;

export function lastUsed(family: string): string[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(key(family)) ?? "[]");
    return Array.isArray(found) ? found.filter((one) => typeof one === "string") : [];
  } catch {
    return [];
  }
}

export function used(family: string, kind: string): void {
  const list = [kind, ...lastUsed(family).filter((one) => one !== kind)].slice(0, MOST);
  localStorage.setItem(key(family), JSON.stringify(list));
}
