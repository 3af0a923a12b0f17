/** What to do with the rows of a sheet. */
export const OPERATIONS = [
  { value: "update", label: "update what is there" },
  { value: "upsert", label: "update what is there, create the rest" },
  { value: "create", label: "create new records" },
  { value: "delete", label: "delete the records" },
];
