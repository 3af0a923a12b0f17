/** What a button does: once at a time, busy while it lasts, its error told. */
import { useMutation } from "@tanstack/vue-query";
import type { Ref } from "vue";

import { queryClient } from "@/api/client";
import { sayError } from "@/services/notices";

export interface Doing<In> {
  busy: Ref<boolean>;
  /** The error of the last time, until it is begun anew. */
  error: Ref<Error | null>;
  start: (input: In) => void;
  forget: () => void;
}

interface More<In, Out> {
  done?: (result: Out, input: In) => unknown;
  /** What becomes of an error: said at the foot of the page unless the place itself shows it. */
  failed?: (error: Error) => unknown;
  /** Whatever the end was. */
  after?: () => unknown;
}

export function useDoing<Out, In = void>(step: (input: In) => Promise<Out>, more: More<In, Out> = {}): Doing<In> {
  const mutation = useMutation<Out, Error, In>(
    {
      mutationFn: step,
      onSuccess: async (result, input) => {
        await more.done?.(result, input);
      },
      // What follows an end is not waited for: the server may be lost, and the error must be seen all the same.
      onError: (error) => {
        if (more.failed) more.failed(error);
        else sayError(error);
      },
      onSettled: () => {
        more.after?.();
      },
    },
    queryClient,
  );
  return {
    busy: mutation.isPending,
    error: mutation.error,
    start: (input) => {
      if (!mutation.isPending.value) mutation.mutate(input);
    },
    forget: () => {
      mutation.reset();
    },
  };
}
