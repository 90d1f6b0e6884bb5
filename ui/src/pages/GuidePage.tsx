import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useState } from "react";
import Markdown from "react-markdown";
import { Link, NavLink, useLocation, useParams } from "react-router";
import rehypeSlug from "rehype-slug";
import remarkGfm from "remark-gfm";
import { PAGES, pictureAt, search } from "../features/guide/pages";

/** The guide: a dozen short pages and the method, to be searched, read without a network. */
export default function GuidePage() {
  const { slug } = useParams();
  const { hash } = useLocation();
  const [text, setText] = useState("");
  const page = PAGES.find((one) => one.slug === slug) ?? PAGES[0];
  const at = PAGES.findIndex((one) => one.slug === page?.slug);
  const hits = search(text);
  const next = PAGES[at + 1];
  useEffect(() => {
    document.title = t`${page?.title ?? t`Guide`} · Mean Bead`;
    const target = hash ? document.getElementById(decodeURIComponent(hash.slice(1))) : null;
    if (target) target.scrollIntoView();
    else window.scrollTo(0, 0);
  }, [page, hash]);
  if (page === undefined) return null;
  return (
    <div className="grid gap-x-10 gap-y-4 py-4 md:grid-cols-[15rem_minmax(0,1fr)]">
      <aside className="md:sticky md:top-3 md:self-start">
        <label className="input input-sm w-full border-rule">
          <span className="sr-only"><Trans>Search the guide</Trans></span>
          <input type="search" placeholder={t`Search the guide`} value={text} onChange={(event) => setText(event.target.value)} />
        </label>
        <p className="sr-only" role="status">
          {text.trim() && t`${hits.length} pages found`}
        </p>
        <nav aria-label={t`Guide`} className="mt-2">
          {text.trim() === "" ? (
            <ol className="text-sm">
              {PAGES.map((one) => (
                <li key={one.slug}>
                  <NavLink to={`/guide/${one.slug}`} className={`flex min-h-7 items-center border-l-2 px-2 ${one.slug === page.slug ? "border-molten font-semibold" : "border-rule"}`}>
                    {one.title}
                  </NavLink>
                </li>
              ))}
            </ol>
          ) : (
            <ul className="text-sm">
              {hits.map(({ page: one, line }) => (
                <li key={one.slug} className="border-t border-base-300 py-1">
                  <Link className="underline" to={`/guide/${one.slug}`}>
                    {one.title}
                  </Link>
                  <p className="line-clamp-2 text-quiet">{line}</p>
                </li>
              ))}
              {hits.length === 0 && <li className="text-quiet"><Trans>No page holds that.</Trans></li>}
            </ul>
          )}
        </nav>
      </aside>
      <article className="guide min-w-0 max-w-[46rem]">
        <Markdown
          remarkPlugins={[remarkGfm]}
          rehypePlugins={[rehypeSlug]}
          components={{
            img: ({ src, alt }) => <img src={pictureAt(String(src))} alt={alt ?? ""} loading="lazy" className="my-3 w-full border border-rule" />,
            a: ({ href, children }) => (href?.startsWith("#") ? <a href={href}>{children}</a> : <span>{children}</span>),
            table: ({ children }) => (
              <div className="overflow-x-auto">
                <table>{children}</table>
              </div>
            ),
          }}
        >
          {page.text}
        </Markdown>
        {next && (
          <p className="mt-6 border-t border-rule pt-2">
            <Trans>
              Next:{" "}
              <Link className="underline" to={`/guide/${next.slug}`}>
                {next.title}
              </Link>
            </Trans>
          </p>
        )}
      </article>
    </div>
  );
}
