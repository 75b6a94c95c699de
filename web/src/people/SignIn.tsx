/** The door: name and password, or the first owner. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, told } from "../api/client";
import { Button } from "../ui/Button";
import { Wrong } from "../ui/Panel";

export function SignIn({ first }: { first: boolean }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [word, setWord] = useState(window.location.hash.slice(1));
  const [error, setError] = useState<Error>();
  const [busy, setBusy] = useState(false);
  const client = useQueryClient();
  const navigate = useNavigate();
  const enter = async () => {
    setError(undefined);
    setBusy(true);
    try {
      const body = { name, password };
      if (first) {
        await told(api.POST("/api/first-owner", { body: { ...body, word } }));
        navigate("/", { replace: true });
      } else await told(api.POST("/api/sign-in", { body }));
      await client.invalidateQueries();
    } catch (e) {
      setError(e as Error);
    }
    setBusy(false);
  };
  return (
    <main className="flex h-full items-center justify-center">
      <form
        aria-label={first ? "Become the owner" : "Sign in"}
        className="panel flex w-[26rem] flex-col gap-4 p-6"
        onSubmit={(e) => {
          e.preventDefault();
          enter();
        }}
      >
        <h1 className="text-[19px] font-bold">
          <span className="text-harbour">Fleet</span> Echo
        </h1>
        {first && (
          <p className="text-[13px] leading-5 text-soft">
            Nobody may work here yet. Whoever started this server owns it: its console told a word, which stands at the
            end of the address it printed.
          </p>
        )}
        {first && <Line label="Word of the console" value={word} onSet={setWord} />}
        <Line label="Name" value={name} onSet={setName} complete="username" />
        <Line
          label="Password"
          value={password}
          onSet={setPassword}
          hidden
          complete={first ? "new-password" : "current-password"}
        />
        <Wrong error={error} />
        <Button look="main" type="submit" hint="↵" disabled={busy} className="self-start">
          {first ? "Become the owner" : "Sign in"}
        </Button>
      </form>
    </main>
  );
}

type LineProps = { label: string; value: string; onSet: (to: string) => void; hidden?: boolean; complete?: string };

function Line({ label, value, onSet, hidden, complete }: LineProps) {
  return (
    <label className="flex flex-col text-[13px] text-soft">
      {label}
      <input
        type={hidden ? "password" : "text"}
        autoComplete={complete ?? "off"}
        className="border-b border-ink bg-transparent py-1 text-[16px] text-ink"
        value={value}
        onChange={(e) => onSet(e.target.value)}
      />
    </label>
  );
}
