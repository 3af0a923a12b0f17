<script setup lang="ts" generic="Value extends string, Entry extends Option<Value>">
/** What a list holds to choose from, below what it belongs to; never cut off by what that stands in. */
import { size } from "@floating-ui/vue";
import { ComboboxOption, ComboboxOptions, ListboxOption, ListboxOptions } from "@headlessui/vue";
import { computed, ref, toRef } from "vue";

import type { Option } from "./choosing";
import { useDropdown } from "./dropdown";

const props = defineProps<{
  options: readonly Entry[];
  /** What it stands below. */
  anchor: HTMLElement | undefined;
  /** Whether it is searched by what is typed, or opened by a button. */
  of: "combobox" | "listbox";
  /** As wide as what it stands below, at least. */
  asWide?: boolean;
  /** Said where there is nothing to choose from. */
  none: string;
}>();
defineOptions({ inheritAttrs: false });
const parts = computed(() =>
  props.of === "combobox"
    ? { list: ComboboxOptions, option: ComboboxOption }
    : { list: ListboxOptions, option: ListboxOption },
);
const list = ref<HTMLElement>();
const floatingStyles = useDropdown(
  toRef(() => props.anchor),
  list,
  props.asWide
    ? [
        size({
          padding: 8,
          apply: ({ availableHeight, rects, elements }) => {
            elements.floating.style.maxHeight = `${Math.min(340, availableHeight)}px`;
            elements.floating.style.minWidth = `${rects.reference.width}px`;
          },
        }),
      ]
    : [],
);
</script>

<template>
  <Teleport to="body">
    <div ref="list" class="z-[60]" :class="{ flex: asWide }" :style="floatingStyles">
      <component :is="parts.list" class="choices" v-bind="$attrs">
        <component
          :is="parts.option"
          v-for="one in options"
          :key="one.value"
          v-slot="{ active, selected }"
          :value="one.value"
          :disabled="one.disabled"
          as="template"
        >
          <li :class="{ active, selected, disabled: one.disabled }">
            <slot name="whole" :option="one">
              <slot :option="one"><span class="truncate">{{ one.label }}</span></slot>
              <span v-if="one.note" class="soft ml-auto pl-3 text-data whitespace-nowrap">{{ one.note }}</span>
            </slot>
          </li>
        </component>
        <li v-if="!options.length" class="soft">{{ none }}</li>
      </component>
    </div>
  </Teleport>
</template>
