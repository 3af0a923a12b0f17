/** What each role may do, in words; the server's table says it in rights. */
export const ROLES = [
  { value: "viewer", label: "Viewer", may: "sees everything, changes nothing" },
  { value: "preparer", label: "Preparer", may: "prepares trips, writes to practice applications" },
  { value: "operator", label: "Operator", may: "writes to live applications too" },
  { value: "administrator", label: "Administrator", may: "connects applications, and says who may do what" },
] as const;

export type RoleName = (typeof ROLES)[number]["value"];
