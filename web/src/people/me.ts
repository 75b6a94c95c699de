/** Who one is here, and what one may do. */
import { useQuery } from "@tanstack/react-query";
import { api, type Schema, told } from "../api/client";

export type Me = Schema["Me"];
export type Role = Schema["Role"];

export const ROLES: { value: Role; says: string; face: string }[] = [
  { value: "watch", face: "watches", says: "watches: sees everything, changes nothing" },
  { value: "work", face: "works", says: "works: changes rigs, plans, results, reports" },
  { value: "measure", face: "measures", says: "measures: arms, records, drives outputs too" },
  { value: "own", face: "owns", says: "owns: says who may do what, deletes campaigns" },
];

const order: Role[] = ["watch", "work", "measure", "own"];

/** Whether somebody of a role may do what needs another one. */
export const may = (role: Role | null | undefined, needs: Role) =>
  role !== null && role !== undefined && order.indexOf(role) >= order.indexOf(needs);

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => told(api.GET("/api/me")), staleTime: 30_000 });

/** Whether one may do what needs a role; yes while that is not known, since the server says it too. */
export function useMay(needs: Role): boolean {
  const me = useMe().data;
  return !me || may(me.role, needs);
}
