/** People with their roles, and tokens of programs. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, showing, told } from "../api/client";
import { live } from "../api/live";
import { useNews } from "../api/news";
import { Button } from "../ui/Button";
import { day, moment } from "../ui/format";
import { Panel, Wrong } from "../ui/Panel";
import { ChosenWord } from "../ui/Word";
import { ROLES, type Role } from "./me";

const at = (id: number) => ({ params: { path: { id } } });

export function People() {
  showing(undefined);
  useEffect(() => live.shows(undefined), []);
  useNews();
  return (
    <main className="flex h-full flex-col gap-3 overflow-auto p-6">
      <p className="text-[13px]">
        <Link to="/campaigns" className="text-harbour hover:underline">
          All campaigns
        </Link>
      </p>
      <PeopleTable />
      <Tokens />
    </main>
  );
}

/** An act with its refusal shown, and the lists asked for again. */
function useActs(subject: string) {
  const client = useQueryClient();
  const [error, setError] = useState<Error>();
  const act = async <T,>(what: Promise<T>): Promise<T | undefined> => {
    setError(undefined);
    try {
      const done = await what;
      await client.invalidateQueries({ queryKey: [subject] });
      return done;
    } catch (e) {
      setError(e as Error);
      return undefined;
    }
  };
  return { act, error };
}

function PeopleTable() {
  const people = useQuery({ queryKey: ["people"], queryFn: () => told(api.GET("/api/people")) });
  const { act, error } = useActs("people");
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [role, setRole] = useState<Role>("work");
  const [reset, setReset] = useState<number>();
  const add = async () => {
    const made = await act(told(api.POST("/api/people", { body: { name, role, password } })));
    if (made === undefined) return;
    setName("");
    setPassword("");
  };
  return (
    <Panel title="People" says="who may work here, and as what">
      <Wrong error={error ?? people.error} />
      <div className="px-3 pb-3">
        <table className="w-full text-[14px]" aria-label="People">
          <thead className="text-left text-[13px] text-soft">
            <tr>
              <th className="font-normal">Name</th>
              <th className="font-normal">Role</th>
              <th className="font-normal">Since</th>
              <td />
            </tr>
          </thead>
          <tbody>
            {people.data?.map((p) => (
              <tr key={p.id} className="border-t border-rule">
                <td className="py-1.5">{p.name}</td>
                <td>
                  <ChosenWord
                    label={`Role of ${p.name}`}
                    value={p.role}
                    options={ROLES}
                    onSet={(role) => act(told(api.PUT("/api/people/{id}", { ...at(p.id), body: { role } })))}
                  />
                </td>
                <td className="num">{day(p.made_at)}</td>
                <td className="text-right">
                  {reset === p.id ? (
                    <NewPassword
                      name={p.name}
                      onSet={async (password) => {
                        const body = { password };
                        const done = await act(
                          told(api.PUT("/api/people/{id}", { ...at(p.id), body })).then(() => true),
                        );
                        if (done) setReset(undefined);
                      }}
                      onLeave={() => setReset(undefined)}
                    />
                  ) : (
                    <span className="flex justify-end gap-5">
                      <Button look="link" onClick={() => setReset(p.id)}>
                        New password
                      </Button>
                      <Button
                        look="link"
                        className="text-reef!"
                        aria-label={`Let ${p.name} go`}
                        onClick={() => act(told(api.DELETE("/api/people/{id}", at(p.id))))}
                      >
                        Let go
                      </Button>
                    </span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <form
          aria-label="Add somebody"
          className="pt-3 text-[14px] leading-9"
          onSubmit={(e) => {
            e.preventDefault();
            add();
          }}
        >
          Add{" "}
          <input
            aria-label="Name of somebody new"
            placeholder="name"
            className="word w-40 font-sans!"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />{" "}
          who <ChosenWord label="Role of somebody new" value={role} options={ROLES} onSet={setRole} />, with the first
          password{" "}
          <input
            type="password"
            autoComplete="new-password"
            aria-label="First password"
            className="word w-40"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
          .{" "}
          <Button type="submit" className="align-middle">
            Add
          </Button>
        </form>
      </div>
    </Panel>
  );
}

function NewPassword({ name, onSet, onLeave }: { name: string; onSet: (p: string) => void; onLeave: () => void }) {
  const [text, setText] = useState("");
  return (
    <form
      className="flex justify-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        onSet(text);
      }}
    >
      <input
        type="password"
        autoComplete="new-password"
        aria-label={`New password of ${name}`}
        className="word w-40"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button look="link" type="submit">
        Set it
      </Button>
      <Button look="link" onClick={onLeave}>
        Leave it
      </Button>
    </form>
  );
}

function Tokens() {
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: () => told(api.GET("/api/tokens")) });
  const { act, error } = useActs("tokens");
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("watch");
  const [days, setDays] = useState("90");
  const [made, setMade] = useState("");
  const make = async () => {
    const done = await act(
      told(api.POST("/api/tokens", { body: { name, role, days: Math.round(Number(days)) || 0 } })),
    );
    if (!done) return;
    setMade(done.token);
    setName("");
  };
  return (
    <Panel title="Tokens" says="for programs: sent as “Authorization: Bearer …”">
      <Wrong error={error ?? tokens.error} />
      <div className="px-3 pb-3 text-[14px]">
        <table className="w-full" aria-label="Tokens">
          <tbody>
            {tokens.data?.map((t) => (
              <tr key={t.id} className="border-t border-rule">
                <td className="py-1.5">{t.name}</td>
                <td>{ROLES.find((r) => r.value === t.role)?.face}</td>
                <td className="text-soft">
                  made by {t.made_by}, ends on <span className="num">{day(t.expires_at)}</span>
                </td>
                <td className="text-soft">{t.used_at ? `used ${moment(t.used_at)}` : "not used yet"}</td>
                <td className="text-right">
                  <Button
                    look="link"
                    className="text-reef!"
                    aria-label={`End the token ${t.name}`}
                    onClick={() => act(told(api.DELETE("/api/tokens/{id}", at(t.id))))}
                  >
                    End
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {tokens.data?.length === 0 && <p className="text-soft">No program has a token.</p>}
        {made && (
          <p role="status" className="my-2 border-l-4 border-lamp px-3">
            The token, told this once: <code className="num break-all select-all">{made}</code>
          </p>
        )}
        <form
          aria-label="Make a token"
          className="pt-3 leading-9"
          onSubmit={(e) => {
            e.preventDefault();
            make();
          }}
        >
          Make a token for{" "}
          <input
            aria-label="What the token is for"
            placeholder="which program"
            className="word w-48 font-sans!"
            value={name}
            onChange={(e) => setName(e.target.value)}
          />{" "}
          that <ChosenWord label="Role of the token" value={role} options={ROLES} onSet={setRole} />, for{" "}
          <input
            aria-label="Days of the token"
            className="word w-14"
            value={days}
            onChange={(e) => setDays(e.target.value)}
          />{" "}
          days.{" "}
          <Button type="submit" className="align-middle">
            Make
          </Button>
        </form>
      </div>
    </Panel>
  );
}
