/** A column of a plain table. */
export interface TableColumn<Row> {
  key: string;
  title: string;
  /** Where it can be put in order: what to compare. */
  by?: (row: Row) => string | number;
  right?: boolean;
  class?: string;
}

/** Rows in the order of "name" or "-name"; as they are where no column has that name. */
export function ordered<Row>(rows: readonly Row[], columns: readonly TableColumn<Row>[], order: string): Row[] {
  const down = order.startsWith("-");
  const by = columns.find((column) => column.key === order.replace(/^-/, ""))?.by;
  if (!by) return [...rows];
  const compare = (a: string | number, b: string | number): number =>
    typeof a === "number" && typeof b === "number" ? a - b : String(a).localeCompare(String(b), "en-GB");
  return rows
    .map((row, at) => ({ row, at }))
    .sort((a, b) => (down ? -1 : 1) * compare(by(a.row), by(b.row)) || a.at - b.at)
    .map(({ row }) => row);
}
