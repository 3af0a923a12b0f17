/** What a sheet is about, as a person says it; what is not said yet is empty. */
export interface About {
  application: string;
  recordType: string;
  operation: string;
}

/** Where a sheet is brought in: on a trip by its number, or on a new one. */
export interface Place {
  application: string;
  recordType: string;
  trip: string;
  operation?: string;
  /** The route that says how it comes in. */
  route?: number;
}
