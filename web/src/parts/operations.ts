/** What to do with the rows of a sheet. */
export const OPERATIONS = [
  { value: "update", label: "update what is there" },
  { value: "upsert", label: "update what is there, create the rest" },
  { value: "create", label: "create new records" },
  { value: "create-unmatched", label: "create a record each, matched by nothing" },
  { value: "delete", label: "delete the records" },
  { value: "make-same", label: "make the records in reach the same" },
];
