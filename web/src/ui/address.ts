/** What is chosen on a page is kept in its address: a reload, a bookmark and the way back keep it. */
import { computed, type WritableComputedRef } from "vue";
import { type LocationQuery, type Router, useRoute, useRouter } from "vue-router";

const text = (query: LocationQuery, name: string): string => {
  const said = query[name];
  return (Array.isArray(said) ? said[0] : said) ?? "";
};

/** One word of the address, such as a filter; left out while it is what it would be anyway. */
export function useInAddress(name: string, usual = ""): WritableComputedRef<string> {
  const route = useRoute();
  const router = useRouter();
  return computed({
    get: () => text(route.query, name) || usual,
    set: (value) => {
      setAll(router, { [name]: value === usual ? "" : value });
    },
  });
}

const leaving = new WeakSet<Router>();

/** Whoever leaves a page is not called back by a choice that the page still writes down. */
export function heedLeaving(router: Router): void {
  router.beforeEach((to, from) => {
    if (to.path !== from.path) leaving.add(router);
  });
  router.afterEach(() => leaving.delete(router));
  router.onError(() => leaving.delete(router));
}

let waiting: Record<string, string> | undefined;

/** Changes made in one go become one step, or the last would undo the others. */
function setAll(router: Router, changes: Record<string, string>): void {
  if (waiting) {
    Object.assign(waiting, changes);
    return;
  }
  waiting = { ...changes };
  queueMicrotask(() => {
    const all = Object.entries({ ...router.currentRoute.value.query, ...waiting });
    const query = Object.fromEntries(all.filter(([, value]) => value));
    waiting = undefined;
    if (leaving.has(router)) return;
    void router.replace({ query, hash: router.currentRoute.value.hash });
  });
}
