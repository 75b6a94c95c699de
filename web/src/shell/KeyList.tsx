/** All keys, by where they act. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import { Button } from "../ui/Button";
import { type Method, methodsOf } from "../ui/methods";
import { local, useBound, useLetters } from "./keys";

const shown = (key: string) =>
  key
    .replace("Control", "Ctrl")
    .replace("Escape", "Esc")
    .replace("Shift+?", "?")
    .replace(/(^|\+)(\w)$/, (_, plus, c) => plus + c.toUpperCase());

export function KeyList({ open, onClose }: { open: boolean; onClose: () => void }) {
  const bound = useBound();
  const [letters, setLetters] = useLetters();
  const [words, setWords] = useState<Method[]>();
  const load = () =>
    import("../../../docs/glossary.md?raw").then(
      (m) => setWords(methodsOf(m.default)),
      () => undefined,
    );
  const all: { name: string; keys: [string, string][] }[] = [
    ...bound.map((s) => ({ name: s.name, keys: s.keys.map((k): [string, string] => [shown(k.key), k.says]) })),
    ...local,
  ].filter((s) => s.keys.length > 0);
  return (
    <Dialog open={open} onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/15" aria-hidden />
      <div className="fixed inset-x-0 top-12 mx-auto w-[56rem] max-w-[calc(100vw-2rem)]">
        <DialogPanel className="panel max-h-[calc(100vh-6rem)] overflow-auto p-4 shadow-xl">
          <div className="flex items-center">
            <DialogTitle className="text-[16px] font-semibold">{words ? "Words" : "Keys"}</DialogTitle>
            <Button look="link" className="ml-6" onClick={() => (words ? setWords(undefined) : load())}>
              {words ? "Keys" : "Words"}
            </Button>
            <label className="ml-auto flex items-center gap-2 text-[13px]">
              <input
                type="checkbox"
                className="accent-harbour"
                checked={letters}
                onChange={(e) => setLetters(e.target.checked)}
              />
              Single keys act (A, R, Shift+S, ?)
            </label>
            <Button look="link" className="ml-6" onClick={onClose}>
              Close
            </Button>
          </div>
          {words && (
            <dl className="mt-3 columns-2 gap-8 text-[13px]">
              {words.map((w) => (
                <div key={w.title} className="mb-1 break-inside-avoid border-b border-rule py-0.5">
                  <dt className="inline font-semibold text-harbour">{w.title}</dt> <dd className="inline">{w.how}</dd>
                </div>
              ))}
            </dl>
          )}
          <div className="mt-3 columns-2 gap-8 text-[13px]" hidden={words !== undefined}>
            {all.map((s) => (
              <section key={s.name} className="mb-3 break-inside-avoid">
                <h3 className="font-semibold text-harbour">{s.name}</h3>
                <dl className="grid grid-cols-[9.5rem_1fr]">
                  {s.keys.map(([key, says]) => (
                    <div key={key} className="col-span-2 grid grid-cols-subgrid border-b border-rule py-0.5">
                      <dt>
                        <kbd>{key}</kbd>
                      </dt>
                      <dd>{says}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
