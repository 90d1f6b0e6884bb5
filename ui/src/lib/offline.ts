/**
 * Pages that phones read at the machine without a connection: a service worker keeps what was last seen. Only where the
 * workshop is served to a network; on one desk alone there is no connection to lose.
 */
export async function keepOffline(): Promise<void> {
  if (!("serviceWorker" in navigator) || import.meta.env.DEV) return;
  try {
    await navigator.serviceWorker.register("/sw.js");
  } catch {
    // A phone that does not trust the certificate yet keeps nothing; all else works.
  }
}
