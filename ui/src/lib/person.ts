const KEY = "meanbead.person";

/** The name under which this device's changes are kept; empty where nobody has said one. Headers take Latin letters. */
export function personName(): string {
  return (localStorage.getItem(KEY) ?? "").replace(/[^\x20-\x7e\xa0-\xff]/g, "").trim();
}

export function setPersonName(name: string): void {
  localStorage.setItem(KEY, name.trim().slice(0, 60));
}
