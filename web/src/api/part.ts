/** Which part of a shared-out trip is looked at: in the page's address, and told with every question about the trip. */
import { ref } from "vue";

import type { Trip } from "./client";

/** The number of the part, empty for the one whose sheet came in last. */
export const lookedAt = ref("");

const OF_A_TRIP = /^\/api\/trips\/\d+(?=\/|$)/;

/** A question about a trip, asked of the part that is looked at. */
export function ofThePart(request: Request): Request {
  if (lookedAt.value && OF_A_TRIP.test(new URL(request.url).pathname)) request.headers.set("Vexo-Part", lookedAt.value);
  return request;
}

/** The same for an address that the browser itself asks. */
export const withPart = (address: string): string =>
  lookedAt.value ? `${address}${address.includes("?") ? "&" : "?"}part=${lookedAt.value}` : address;

/** Where a trip is opened: at the part at which somebody is needed. */
export const tripAddress = (trip: Trip): string =>
  `/trips/${trip.id}${trip.about_part ? `?part=${trip.about_part.number}` : ""}`;
