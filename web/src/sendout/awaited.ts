/** Trips whose records this window sent out: their sheet is downloaded once it is there. */
import { reactive } from "vue";

export const awaited = reactive(new Set<number>());
