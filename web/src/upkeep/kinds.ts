/** What is kept for a time, in words; the server says how many are over theirs. */
import type { Schemas } from "@/api/client";

export type Kind = Schemas["Over"]["kind"];

export const KINDS: Record<Kind, { title: string; says: string; one: string; more: string }> = {
  trips: {
    title: "Trips",
    says: "that nobody has touched, with their sheets, plans and passes; a receipt of what was written stays",
    one: "trip",
    more: "trips",
  },
  receipts: { title: "Receipts of deleted trips", says: "who wrote what, and when", one: "receipt", more: "receipts" },
  copies: {
    title: "Kept copies",
    says: "of records that went out on trips that nobody has touched; their sheets cannot come back in after that",
    one: "copy",
    more: "copies",
  },
  uploads: { title: "Sheets that wait", says: "and were never brought in", one: "sheet", more: "sheets" },
  journal: {
    title: "The journal",
    says: "its oldest entries are taken off, and an entry says so; what is left can still be verified",
    one: "entry",
    more: "entries",
  },
};
