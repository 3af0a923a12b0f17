/** One thing of a list to choose from. */
export interface Option<Value extends string> {
  value: Value;
  label: string;
  /** Said beside it, softly. */
  note?: string;
  disabled?: boolean;
}
