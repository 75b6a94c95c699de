/** Keeps modes under a name, among the campaign's results. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import { api, type Schema, told } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Wrong } from "../../../ui/Panel";

type Props = { campaign: number; body: Omit<Schema["KeepModes"], "name">; onClose: () => void };

export function KeepModes({ campaign, body, onClose }: Props) {
  const [name, setName] = useState("modes");
  const [error, setError] = useState<Error>();
  const keep = async () => {
    setError(undefined);
    try {
      const params = { path: { id: campaign } };
      await told(api.POST("/api/campaigns/{id}/modes/keep", { params, body: { ...body, name } }));
      onClose();
    } catch (e) {
      setError(e as Error);
    }
  };
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <div className="fixed inset-0 grid place-items-center bg-ink/30">
        <DialogPanel className="panel w-[380px] p-4">
          <DialogTitle className="pb-2 font-semibold">Save these modes</DialogTitle>
          <label>
            Name{" "}
            <input
              className="word"
              value={name}
              onChange={(e) => setName(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && keep()}
            />
          </label>
          <Wrong error={error} />
          <p className="flex justify-end gap-2 pt-4">
            <Button onClick={onClose}>Cancel</Button>
            <Button look="main" onClick={keep}>
              Save
            </Button>
          </p>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
