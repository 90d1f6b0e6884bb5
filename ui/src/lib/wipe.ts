/** Forget what was kept for reading without a connection. */
export async function forgetSeen(): Promise<void> {
  if ("caches" in window) await caches.delete("seen");
}

/** Forget what this browser keeps of the workshop, but for how light it is. */
export async function wipe(): Promise<void> {
  const theme = localStorage.getItem("meanbead.theme");
  localStorage.clear();
  sessionStorage.clear();
  if (theme !== null) localStorage.setItem("meanbead.theme", theme);
  if ("indexedDB" in window) await forgotten("meanbead-photos");
  if ("caches" in window) for (const name of await caches.keys()) await caches.delete(name);
  if ("serviceWorker" in navigator) for (const worker of await navigator.serviceWorker.getRegistrations()) await worker.unregister();
}

/** A database of the browser's goes; where another window still holds it, as soon as that closes. */
function forgotten(name: string): Promise<void> {
  return new Promise((done) => {
    const asked = indexedDB.deleteDatabase(name);
    asked.onsuccess = asked.onerror = asked.onblocked = () => done();
  });
}
