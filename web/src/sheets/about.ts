/** What a sheet is about, as a person says it; what is not said yet is empty. */
export interface About {
  application: string;
  recordType: string;
  operation: string;
}
