/** The fields that a column may go into, as a list shows them; and what is said of a column. */
import type { Column, Field, TripDetail } from "@/api/client";
import type { GridColumn } from "@/grid/columns";

export interface FieldOption {
  value: string;
  label: string;
  kind: string;
  note: string;
  example: string;
  disabled: boolean;
}

/** All fields, those that are likely first; one that another column has is shown and not offered. */
export function fieldOptions(fields: readonly Field[], trip: TripDetail, column: Column | undefined): FieldOption[] {
  const taken = new Map(trip.columns.filter((c) => c.field).map((c) => [c.field, c.header || "a fixed value"]));
  const likely = (column?.questions ?? [])
    .filter((one) => one.code === "field")
    .flatMap((one) => one.options.flatMap((option) => Object.values(option.columns)))
    .filter(Boolean);
  const made = fields.map((field) => {
    const by = field.name === column?.field ? undefined : taken.get(field.name);
    const notes = [
      likely.includes(field.name) ? "likely" : "",
      field.is_key ? "key" : "",
      field.required ? "required" : "",
      field.read_only ? "for reading: only to be checked" : "",
      by ? `taken by ${by}` : "",
    ];
    return {
      value: field.name,
      label: field.label,
      kind: field.kind + (field.target ? ` to ${field.target}` : ""),
      note: notes.filter(Boolean).join(", "),
      example: trip.examples[field.name] ?? field.choices.slice(0, 3).join(", "),
      disabled: !!by,
    };
  });
  const rank = (one: FieldOption): number => (likely.includes(one.value) ? 0 : one.disabled ? 2 : 1);
  return made.sort((a, b) => rank(a) - rank(b));
}

const uncovered = (fields: readonly Field[], trip: TripDetail): Field[] =>
  fields.filter((field) => !field.read_only && !trip.columns.some((column) => column.field === field.name));

/** Fields that no column goes into, as the list shows them from which one more is taken. */
export function freeFields(
  fields: readonly Field[],
  trip: TripDetail,
): { value: string; label: string; note: string }[] {
  return uncovered(fields, trip).map((field) => ({
    value: field.name,
    label: field.label,
    note: field.required ? `${field.kind}, required` : field.kind,
  }));
}

/** Fields without which no record can be created, and that the sheet does not fill. */
export function missingFields(fields: readonly Field[], trip: TripDetail): Field[] {
  if (!["create", "upsert"].includes(trip.operation)) return [];
  return uncovered(fields, trip).filter((field) => field.required && !field.has_default);
}

const HOW: Record<string, string> = {
  stamp: "Known from the sheet's stamp.",
  route: "Its route says so.",
  name: "The header is the field's name.",
  label: "The header is the field's label.",
  words: "The header says the same in other words, and its cells fit.",
  chosen: "Chosen by hand.",
  contents: "The header is another, but most of what stands in it is what went out in this field.",
  lane: "The field's lane takes this column.",
  fixed: "The same for every row.",
  lost: "This sheet has no such column. Take another one in the sentence below, or take the field out.",
};

/** How a column's field is known, or why it has none. */
export function how(column: Column): string {
  if (column.field) return HOW[column.how] ?? "";
  if (column.open) return "No field has this name. Choose one above, or leave the column out.";
  if (column.how === "added") return "It tells each row's file, and goes into no field.";
  if (column.how === "lane") return "It goes where lanes take it, or its field takes another column.";
  return column.how === "route" ? "Its route leaves it out." : "Left out by choice.";
}

/** What becomes of a column's values, in a few words. */
export function way(column: Column, finds: boolean): string {
  if (column.how === "lost") return "? column is not there";
  if (column.conflict) return "? in another's way";
  if (column.check) return "= only checked";
  if (column.open) return "? choose a field";
  if (column.how === "added") return "· tells the file";
  if (!column.field) return column.how === "lane" ? "· used by lanes" : "· left out";
  if (!column.carried && !finds) return "· stops here, for reading";
  const lane = column.lane;
  const said = [lane?.short, lane?.separator && lane.separator !== ";" ? `split at “${lane.separator}”` : ""];
  if (lane?.fixed) said.push(`“${lane.fixed}” in every row`);
  if (lane?.adds) said.push("adds");
  if (lane?.blank === "clear") said.push("blank clears");
  if (lane?.blank === "default") said.push("with a default");
  if (lane?.only_empty) said.push("where empty");
  const words = said.filter(Boolean).join(", ") || "as it is";
  return `↑ ${finds ? `finds the record${words === "as it is" ? "" : `, ${words}`}` : words}`;
}

/** The sheet's columns as the grid shows them: dim where nothing comes of them. */
export const laneColumns = (columns: Column[]): GridColumn[] =>
  columns.map((c, at) => ({
    at,
    key: `${c.column} ${c.field}`,
    title: c.header || c.label || "",
    sub: "",
    width: 176,
    dim: !c.carried && !c.is_key && !c.check,
    field: c.field,
  }));
