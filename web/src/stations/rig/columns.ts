/** The columns of the channel table: what a cell shows and what a change of it means. */
import type { Channel, ChannelChange, RigBody } from "../../api/client";
import { plain } from "../../ui/format";

export type Column = {
  key: string;
  head: string;
  width: string;
  right?: boolean;
  mono?: boolean;
  text: (c: Channel) => string;
  change: (text: string) => ChannelChange;
  /** Values that are allowed, where there are few. */
  options?: (c: Channel, rig: RigBody) => string[];
};

const offer = (c: Channel, rig: RigBody) => rig.front_end?.inputs.find((i) => i.number === c.input);
const unitsOf = (c: Channel, rig: RigBody) => rig.units.find((u) => u.quantity === c.quantity);

export const columns: Column[] = [
  {
    key: "on",
    head: "On",
    width: "30px",
    text: (c) => (c.on ? "on" : "off"),
    change: (t) => ({ on: ["on", "1", "yes", "true"].includes(t.trim().toLowerCase()) }),
    options: () => ["on", "off"],
  },
  { key: "name", head: "Channel", width: "minmax(112px,1.5fr)", text: (c) => c.name, change: (name) => ({ name }) },
  {
    key: "sensor",
    head: "Sensor",
    width: "minmax(88px,1fr)",
    text: (c) => c.sensor,
    change: (sensor) => ({ sensor }),
  },
  {
    key: "quantity",
    head: "Quantity",
    width: "70px",
    text: (c) => c.quantity,
    change: (t) => ({ quantity: t.trim().toLowerCase() as Channel["quantity"] }),
    options: (_, rig) => rig.units.map((u) => u.quantity),
  },
  {
    key: "sensitivity",
    head: "Sensitivity",
    width: "70px",
    right: true,
    mono: true,
    text: (c) => plain(c.sensitivity.value),
    change: (sensitivity) => ({ sensitivity }),
  },
  {
    key: "sensitivity_unit",
    head: "per",
    width: "68px",
    text: (c) => c.sensitivity.unit,
    change: (sensitivity_unit) => ({ sensitivity_unit }),
    options: (c, rig) => unitsOf(c, rig)?.sensitivity_units ?? [],
  },
  {
    key: "coupling",
    head: "Coupling",
    width: "56px",
    text: (c) => c.coupling,
    change: (t) => ({ coupling: t.trim().toUpperCase() as Channel["coupling"] }),
    options: (c, rig) => offer(c, rig)?.couplings ?? ["DC", "AC", "IEPE"],
  },
  {
    key: "range_v",
    head: "Range",
    width: "48px",
    right: true,
    mono: true,
    text: (c) => `${plain(c.range_v)} V`,
    change: (range_v) => ({ range_v }),
    options: (c, rig) => offer(c, rig)?.ranges_v.map((v) => `${plain(v)} V`) ?? [],
  },
  { key: "point", head: "Point", width: "minmax(78px,1fr)", text: (c) => c.point, change: (point) => ({ point }) },
  {
    key: "direction",
    head: "Direction",
    width: "54px",
    text: (c) => c.direction,
    change: (direction) => ({ direction }),
  },
  {
    key: "unit",
    head: "Unit",
    width: "40px",
    text: (c) => c.unit,
    change: (unit) => ({ unit }),
    options: (c, rig) => unitsOf(c, rig)?.units ?? [],
  },
];

/** The change that takes a cell back to what a row had. */
export const backTo = (column: Column, c: Channel): ChannelChange =>
  column.key === "sensitivity"
    ? { sensitivity: `${plain(c.sensitivity.value)} ${c.sensitivity.unit}` }
    : column.key === "quantity"
      ? { quantity: c.quantity, unit: c.unit, sensitivity: `${plain(c.sensitivity.value)} ${c.sensitivity.unit}` }
      : column.change(column.text(c));
