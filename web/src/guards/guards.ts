/** What is set of guards: each change gives all that is set then. */
import type { Schemas } from "@/api/client";

export type Guard = Schemas["Guard"];
export type Guards = Schemas["Guards"];
export type Said = Guards["said"];

/** Text and limits of a guard's sentence, in their order. */
export function sentence(guard: Guard): { text: string; limit?: Guard["limits"][number] }[] {
  return guard.when
    .split(/\{(\w+)\}/)
    .map((text, at) => (at % 2 ? { text, limit: guard.limits.find((one) => one.name === text) } : { text }));
}

const limitsOf = (said: Said, guard: Guard): Record<string, string> => ({
  ...(said[guard.name]?.limits as Record<string, string> | undefined),
});

/** What is set with another mode of a guard; none is set where it is the one that counts anyway. */
export function withMode(said: Said, guard: Guard, mode: Guard["mode"]): Said {
  const limits = limitsOf(said, guard);
  return laid(said, guard, { ...(mode === guard.otherwise ? {} : { mode }), limits });
}

/** What is set with another number for a limit; none is set where it is the one that counts anyway. */
export function withLimit(said: Said, guard: Guard, limit: string, value: string): Said {
  const limits = limitsOf(said, guard);
  const otherwise = guard.limits.find((one) => one.name === limit)?.otherwise;
  if (!value.trim() || value.trim() === otherwise) Reflect.deleteProperty(limits, limit);
  else limits[limit] = value.trim();
  const mode = said[guard.name]?.mode;
  return laid(said, guard, { ...(mode ? { mode } : {}), limits });
}

function laid(said: Said, guard: Guard, setting: Record<string, unknown> & { limits: Record<string, string> }): Said {
  const { limits, ...rest } = setting;
  const kept = { ...rest, ...(Object.keys(limits).length ? { limits } : {}) };
  const others = Object.fromEntries(Object.entries(said).filter(([name]) => name !== guard.name));
  return Object.keys(kept).length ? { ...others, [guard.name]: kept } : others;
}
