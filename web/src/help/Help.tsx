/** Help: one page a job, all keys, all words, how everything is computed. */
import { useQuery } from "@tanstack/react-query";
import Markdown from "markdown-to-jsx/react";
import { type ComponentProps, type ReactNode, useEffect } from "react";
import { Link, NavLink, useNavigate, useParams } from "react-router";
import { showing } from "../api/client";
import { live } from "../api/live";
import { wishFirstRun } from "../shell/firstNotes";
import { local } from "../shell/keys";
import { Button } from "../ui/Button";
import { Empty, Wrong } from "../ui/Panel";
import { leadsTo, pages, pictureOf } from "./pages";

const KEYS = "keys";

/** What the keys do that act everywhere; those of a view are listed there on `?`. */
const everywhere: [string, string][] = [
  ["Alt+1 … Alt+5", "Rig, Plan, Run, Study, Report"],
  ["Ctrl+K", "find a station, run, result or channel"],
  ["A", "arm"],
  ["R", "record"],
  ["Shift+S", "stop recording, or disarm"],
  ["Shift+Esc", "emergency stop of all outputs"],
  ["Ctrl+Z", "undo what was just deleted or removed"],
  ["?", "all keys of the view on the screen"],
  ["F1", "this page"],
];

function Anchor({ href = "", children }: { href?: string; children?: ReactNode }) {
  const to = leadsTo(href);
  if (to.startsWith("/")) return <Link to={to}>{children}</Link>;
  return <span>{children}</span>;
}

function Picture({ src = "", alt = "" }: ComponentProps<"img">) {
  const shown = pictureOf(src);
  return shown ? <img src={shown} alt={alt} className="my-3 max-w-full border border-rule" /> : null;
}

export function Help() {
  const { page = "README" } = useParams();
  const navigate = useNavigate();
  showing(undefined);
  useEffect(() => live.shows(undefined), []);
  const chosen = pages.find((p) => p.key === page);
  const text = useQuery({
    queryKey: ["help", page],
    enabled: chosen !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => (await chosen?.load())?.default ?? "",
  });
  const item = (key: string, says: string) => (
    <li key={key}>
      <NavLink
        to={`/help/${key}`}
        className={({ isActive }) =>
          `block py-0.5 ${isActive || (key === "README" && page === "README") ? "font-semibold text-harbour" : "hover:text-harbour"}`
        }
      >
        {says}
      </NavLink>
    </li>
  );
  return (
    <div className="grid h-full grid-cols-[250px_1fr]">
      <nav aria-label="Help" className="overflow-auto border-r border-rule p-5 text-[14px]">
        <Button look="link" onClick={() => navigate(-1)}>
          ← Back
        </Button>
        <ul className="mt-4">
          {pages.slice(0, -2).map((p) => item(p.key, p.says))}
          <li className="mt-4">
            <ul>
              {item(KEYS, "Keys")}
              {pages.slice(-2).map((p) => item(p.key, p.says))}
            </ul>
          </li>
        </ul>
        <p className="mt-6 border-t border-rule pt-3 text-[13px]">
          <Button look="link" className="whitespace-normal! text-left" onClick={() => wishFirstRun(true)}>
            Lead me through a first run
          </Button>
        </p>
      </nav>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a text is scrolled by the arrows */}
      <main tabIndex={0} className="guide min-w-0 overflow-auto px-10 py-6">
        {page === KEYS ? (
          <Keys />
        ) : !chosen ? (
          <Empty says="There is no page of this name. Choose one on the left." />
        ) : text.error ? (
          <Wrong error={text.error} />
        ) : (
          text.data !== undefined && (
            <Markdown
              options={{ forceBlock: true, disableParsingRawHTML: true, overrides: { a: Anchor, img: Picture } }}
            >
              {text.data}
            </Markdown>
          )
        )}
      </main>
    </div>
  );
}

function Keys() {
  return (
    <>
      <h1>Keys</h1>
      <p>A key acts where the focus is; single letters can be switched off in the list on “?”.</p>
      {[{ name: "Everywhere", keys: everywhere }, ...local].map((s) => (
        <section key={s.name}>
          <h2>{s.name}</h2>
          <table>
            <tbody>
              {s.keys.map(([key, says]) => (
                <tr key={key}>
                  <td className="w-56">
                    <kbd>{key}</kbd>
                  </td>
                  <td>{says}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </>
  );
}
