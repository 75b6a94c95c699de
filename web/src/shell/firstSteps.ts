/** The steps of a first run, and which are done. */
type Step = { says: string; to: string; done: boolean };

/** The next one is the first that is not done. */
export function stepsOf(is: {
  connected: boolean;
  on: number;
  runs: number;
  run: number | undefined;
  spectrum: boolean;
  report: boolean;
}): Step[] {
  return [
    { says: "plug in a front end", to: "/rig/front-ends", done: is.connected },
    { says: "name a channel and see it move", to: "/rig", done: is.on > 0 },
    { says: "record: press R", to: "/run", done: is.runs > 0 },
    { says: "look at its spectrum", to: is.run === undefined ? "/study" : `/study/${is.run}`, done: is.spectrum },
    { says: "save the report as PDF", to: "/report", done: is.report },
  ];
}
