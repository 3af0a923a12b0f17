/** The plan that was confirmed in this window, until its pass has ended: then Outcome is shown, however short it was. */
import { ref } from "vue";

export const following = ref<{ trip: number; plan: number } | null>(null);
