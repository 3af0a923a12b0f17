/** The fields that can go out: a type's own, and those of records that it refers to, over several levels. */
import type { Field, RecordType } from "@/api/client";

export interface Offered {
  name: string;
  label: string;
  field: Field;
  /** It belongs to a record that is referred to, and goes out to be read. */
  far: boolean;
}

const DEEPEST = 3;
const MOST = 3000;

export function offered(type: RecordType, types: readonly RecordType[]): Offered[] {
  const found: Offered[] = type.all_fields.map((field) => ({
    name: field.name,
    label: field.label,
    field,
    far: false,
  }));
  let layer = found.filter((one) => one.field.target);
  for (let depth = 1; depth <= DEEPEST && found.length < MOST; depth++) {
    const next: Offered[] = [];
    for (const outer of layer) {
      const target = types.find((one) => one.name === outer.field.target);
      for (const field of target?.all_fields ?? []) {
        if (field.name === target?.identifier) continue;
        const name = `${outer.name}/${field.name}`;
        next.push({ name, label: `${outer.label} › ${field.label}`, field, far: true });
      }
    }
    found.push(...next);
    layer = next.filter((one) => one.field.target);
  }
  return found.slice(0, MOST);
}

/** What is said of a field beside its name. */
export function noteOf(one: Offered | undefined, type: RecordType, fixed: ReadonlySet<string>): string {
  if (!one || one.far) return "for reading";
  const { field } = one;
  if (fixed.has(field.name)) return field.name === type.identifier ? "kept" : "key";
  if (field.read_only) return "for reading";
  const kind = field.choices.length
    ? `${field.kind === "choices" ? "several" : "one"} of ${field.choices.length}`
    : (field.target?.toLowerCase() ?? field.kind);
  if (field.required) return "required";
  if (field.unique) return "unique";
  return field.only_for ? `${field.only_for} only` : kind;
}
