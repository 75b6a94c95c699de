/** Who one is, who else is here, and the way out; nothing where nobody signs in. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, told } from "../api/client";
import { useStatusOf } from "../api/live";
import { useCampaigns } from "../api/queries";
import { Button } from "../ui/Button";
import { Wrong } from "../ui/Panel";
import { may, ROLES, useMe } from "./me";

export function PersonMenu() {
  const me = useMe().data;
  const here = useStatusOf((s) => JSON.stringify(s?.present ?? []));
  const campaigns = useCampaigns().data ?? [];
  const client = useQueryClient();
  if (!me?.locked || !me.name) return null;
  const present = JSON.parse(here) as { who: string; campaign: number | null }[];
  const others = present.filter((p) => p.who !== me.name);
  const nameOf = (id: number | null) => campaigns.find((c) => c.id === id)?.name ?? "all campaigns";
  const leave = async () => {
    await told(api.POST("/api/sign-out")).catch(() => undefined);
    client.clear();
    window.location.assign("/");
  };
  return (
    <Popover>
      <PopoverButton
        className="rounded-chart border border-rule px-2 py-0.5 text-[13px] whitespace-nowrap hover:bg-shoal"
        aria-label={`${me.name}, and ${others.length} others here`}
      >
        {me.name}
        {others.length > 0 && <span className="pl-1 text-soft">+{new Set(others.map((o) => o.who)).size}</span>}
      </PopoverButton>
      <PopoverPanel anchor="bottom end" className="panel z-30 mt-2 flex w-80 flex-col gap-2 p-4 text-[13px] shadow-lg">
        <p>
          <b>{me.name}</b> {ROLES.find((r) => r.value === me.role)?.says}
        </p>
        <ul aria-label="Who else is here">
          {others.map((o) => (
            <li key={`${o.who} ${o.campaign}`} className="truncate">
              {o.who} <span className="text-soft">at {nameOf(o.campaign)}</span>
            </li>
          ))}
          {others.length === 0 && <li className="text-soft">Nobody else is here.</li>}
        </ul>
        <OwnPassword />
        <span className="flex gap-5 border-t border-rule pt-2">
          {may(me.role, "own") && (
            <Link to="/people" className="font-semibold text-harbour hover:underline">
              People and tokens
            </Link>
          )}
          <Button look="link" onClick={leave}>
            Sign out
          </Button>
        </span>
      </PopoverPanel>
    </Popover>
  );
}

function OwnPassword() {
  const [open, setOpen] = useState(false);
  const [old, setOld] = useState("");
  const [to, setTo] = useState("");
  const [error, setError] = useState<Error>();
  const [says, setSays] = useState("");
  if (!open)
    return (
      <Button look="link" className="self-start" onClick={() => setOpen(true)}>
        {says || "Change my password"}
      </Button>
    );
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={async (e) => {
        e.preventDefault();
        setError(undefined);
        try {
          await told(api.PUT("/api/me/password", { body: { old, new: to } }));
          setSays("The password is changed");
          setOpen(false);
        } catch (x) {
          setError(x as Error);
        }
      }}
    >
      {[
        { label: "Password so far", value: old, set: setOld },
        { label: "From now on", value: to, set: setTo },
      ].map((f) => (
        <label key={f.label}>
          {f.label}{" "}
          <input
            type="password"
            className="border-b border-ink bg-transparent"
            value={f.value}
            onChange={(e) => f.set(e.target.value)}
          />
        </label>
      ))}
      <Wrong error={error} />
      <Button type="submit" className="self-start">
        Change it
      </Button>
    </form>
  );
}
