/** A question mark that opens what something is, how it is computed and where it ends. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import { Button } from "./Button";
import { chosen, type Method, methodsOf } from "./methods";

type Props = { what: string; titles: string[] };

const begun = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

export function Explain({ what, titles }: Props) {
  const [open, setOpen] = useState(false);
  const [told, setTold] = useState<Method[]>();
  const [wrong, setWrong] = useState("");
  const show = async () => {
    setOpen(true);
    try {
      // Only whoever asks loads the text.
      const { default: text } = await import("../../../docs/methods.md?raw");
      setTold(chosen(methodsOf(text), titles));
    } catch {
      setWrong("The explanation could not be loaded; the server does not answer.");
    }
  };
  return (
    <>
      <button
        type="button"
        aria-label={`What is ${what}?`}
        title={`What is ${what}?`}
        className="pane-word h-5 w-5 shrink-0 rounded-full border border-rule text-[12px] leading-4 text-soft hover:border-harbour hover:text-harbour"
        onClick={show}
      >
        ?
      </button>
      <Dialog open={open} onClose={() => setOpen(false)} className="relative z-40">
        <div className="fixed inset-0 bg-ink/15" aria-hidden />
        <div className="fixed inset-x-0 top-12 mx-auto w-[46rem] max-w-[calc(100vw-2rem)]">
          <DialogPanel className="panel max-h-[calc(100vh-6rem)] overflow-auto p-4 shadow-xl">
            <div className="flex items-center">
              <DialogTitle className="text-[16px] font-semibold">{begun(what)}</DialogTitle>
              <Button look="link" className="ml-auto" onClick={() => setOpen(false)}>
                Close
              </Button>
            </div>
            {wrong && <p className="text-reef">{wrong}</p>}
            {told?.map((m) => (
              <section key={m.title} className="mt-3 border-t border-rule pt-2 text-[13.5px] leading-5">
                {m.title !== what && <h3 className="font-semibold text-harbour">{begun(m.title)}</h3>}
                <p>{begun(m.how)}.</p>
                {m.limits && (
                  <p className="mt-1">
                    <b>Where it ends:</b> {m.limits}.
                  </p>
                )}
                {m.source && <p className="mt-1 text-soft">{m.source}</p>}
              </section>
            ))}
          </DialogPanel>
        </div>
      </Dialog>
    </>
  );
}
