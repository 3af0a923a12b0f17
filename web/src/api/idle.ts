/** How long nobody has been here: what a page asks by itself keeps nobody signed in. */
let used = Date.now();

for (const kind of ["keydown", "pointerdown", "pointermove", "wheel", "drop"] as const)
  window.addEventListener(
    kind,
    () => {
      used = Date.now();
    },
    { capture: true, passive: true },
  );

export const secondsIdle = (): number => Math.max(0, Math.floor((Date.now() - used) / 1000));
