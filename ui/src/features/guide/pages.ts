/** The guide's pages, as they lie in docs/guide, and the method: shipped with the application, so that they can be read offline. */

export interface GuidePage {
  /** Its name in an address. */
  slug: string;
  title: string;
  text: string;
}

const texts = import.meta.glob<string>(["../../../../docs/guide/*.md", "../../../../docs/method.md"], { query: "?raw", import: "default", eager: true });
const pictures = import.meta.glob<string>("../../../../docs/screenshots/*.png", { query: "?url", import: "default", eager: true });

/** All pages in reading order, the method last. */
export const PAGES: readonly GuidePage[] = Object.entries(texts)
  .sort(([a], [b]) => a.localeCompare(b))
  .map(([path, text]) => ({
    slug: path.replace(/^.*\//, "").replace(/\.md$/, "").replace(/^\d+-/, ""),
    title: /^# (.+)$/m.exec(text)?.[1] ?? path,
    text,
  }));

/** Where a picture of a page lies once the application is built. */
export function pictureAt(address: string): string | undefined {
  const name = address.replace(/^.*\//, "");
  return Object.entries(pictures).find(([path]) => path.endsWith(`/${name}`))?.[1];
}

export interface Hit {
  page: GuidePage;
  /** The line in which it was found. */
  line: string;
}

/** Pages that hold all words, those with them in their title first, each with the line that holds most of them. */
export function search(text: string, pages: readonly GuidePage[] = PAGES): Hit[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const holds = (line: string) => words.filter((word) => line.toLowerCase().includes(word)).length;
  return pages
    .filter((page) => holds(page.text) === words.length)
    .map((page) => {
      const lines = page.text.split("\n").filter((line) => line.trim() !== "" && !line.startsWith("!["));
      const line = lines.reduce((best, one) => (holds(one) > holds(best) ? one : best), "");
      return { page, line: line.replace(/[#*`|]/g, "").trim(), title: holds(page.title) };
    })
    .sort((a, b) => b.title - a.title)
    .map(({ page, line }) => ({ page, line }));
}
