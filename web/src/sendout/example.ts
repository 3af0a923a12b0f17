/** Two types of records that the tests of this folder are about. */
import type { Field, RecordType } from "@/api/client";
import type { Part } from "@/conditions/conditions";
import { field as anyField } from "@/trip/example";

export const field = (name: string, more: Partial<Field> = {}): Field =>
  anyField({
    name,
    label: name.toUpperCase(),
    comparisons: ["is", "is-not", "one-of", "contains", "empty"],
    ...more,
  });
export const clause = (name: string, does: string, ...values: string[]): Part => ({ field: name, does, values });
export const BERTH: RecordType = {
  name: "Berth",
  label: "Berth",
  plural: "Berths",
  warning: "",
  unread: [],
  identifier: "id",
  keys: [["no"]],
  all_fields: [
    field("id"),
    field("no"),
    field("rate", { required: true, kind: "decimal", instead_of: ["flat"], comparisons: ["is", "between"] }),
    field("flat", { kind: "decimal", instead_of: ["rate"] }),
    field("status", { kind: "choice", choices: ["a", "b"], comparisons: ["is", "one-of", "empty"] }),
    field("holder", { kind: "reference", target: "Holder" }),
  ],
};
export const HOLDER: RecordType = {
  ...BERTH,
  name: "Holder",
  identifier: "id",
  all_fields: [field("id"), field("mail", { unique: true }), field("home", { kind: "reference", target: "Berth" })],
};
