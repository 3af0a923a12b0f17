import type { TripDetail } from "@/api/client";

/** Whether somebody else has to approve the plan that counts, and has not yet. */
export const unapproved = (trip: TripDetail): boolean => !!trip.approval?.why && trip.approval.state !== "approved";
