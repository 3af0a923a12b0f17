/** The columns of a grid, in the order in which they are shown. */
export interface GridColumn {
  /** Its place among the cells of a row. */
  at: number;
  key: string;
  title: string;
  sub: string;
  isKey?: boolean;
  number?: boolean;
  dim?: boolean;
  field?: string | null;
  width?: number;
}
