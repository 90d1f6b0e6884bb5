/** What jsdom lacks and the pages ask of a browser. */
import { configure } from "@testing-library/react";
import { vi } from "vitest";

/** Addresses of the application itself, which Node's own requests do not take. */
class HereRequest extends Request {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" ? new URL(input, "http://localhost") : input, init);
  }
}

// No styles are loaded here: whether something is hidden cannot be known, and asking it of every node costs half the time.
// What has to come may take long where all cores are busy: a wait ends as soon as it is there.
configure({ defaultHidden: true, asyncUtilTimeout: 20_000 });

if (typeof document !== "undefined") {
  vi.stubGlobal("Request", HereRequest);
  vi.stubGlobal("ResizeObserver", class { observe() { /* nothing is laid out */ } unobserve() { /* nor here */ } disconnect() { /* nor here */ } });
  window.matchMedia = (query: string) => ({ matches: false, media: query, onchange: null, addEventListener: () => undefined, removeEventListener: () => undefined, dispatchEvent: () => false }) as unknown as MediaQueryList;
  Element.prototype.scrollIntoView = () => undefined;
}
