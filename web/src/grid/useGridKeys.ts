/** Keys of the grid: moving in it while it has the focus, and what is done to the row that is meant from anywhere. */
import { useKeys } from "@/services/keys";

export interface GridMoves {
  /** The grid has the focus itself, not a button in its head. */
  focused: (target: EventTarget | null) => boolean;
  /** To the row that many further. */
  rowsOn: (by: number) => void;
  /** Rows that stand in sight at once. */
  page: () => number;
  first: () => void;
  last: () => void;
  /** To the column that many further. */
  columnsOn: (by: number) => void;
  /** Type in the cell that is meant; false where it cannot be typed in. */
  type: () => boolean;
  /** Open the row that is meant; false while it has not come. */
  open: () => boolean;
  tick: (range: boolean) => void;
}

/** What handles keys pressed in the grid.
 * @param can what rows and cells of this grid let people do. */
export function useGridKeys(moves: GridMoves, can: { edit: boolean; tick: boolean }): (event: KeyboardEvent) => void {
  const own: Record<string, () => void> = {
    ArrowDown: () => {
      moves.rowsOn(1);
    },
    ArrowUp: () => {
      moves.rowsOn(-1);
    },
    PageDown: () => {
      moves.rowsOn(moves.page());
    },
    PageUp: () => {
      moves.rowsOn(-moves.page());
    },
    Home: moves.first,
    End: moves.last,
    ArrowRight: () => {
      moves.columnsOn(1);
    },
    ArrowLeft: () => {
      moves.columnsOn(-1);
    },
  };
  useKeys("Rows", [
    ...(can.edit
      ? [
          {
            key: "Enter",
            says: "edit the cell",
            run: () => {
              if (!moves.focused(document.activeElement)) moves.type();
            },
          },
        ]
      : []),
    ...(can.tick
      ? [
          {
            key: "X",
            says: "leave the row out, or take it in",
            run: (event: KeyboardEvent) => {
              moves.tick(event.shiftKey);
            },
          },
        ]
      : []),
    { key: "J", says: "next row", run: () => own.ArrowDown?.() },
    { key: "K", says: "previous row", run: () => own.ArrowUp?.() },
    ...["Arrows", "Page Up", "Page Down", "Home", "End"].map((key) => ({
      key,
      says: "in the grid: move",
      quiet: true,
      run: () => {},
    })),
  ]);
  return (event) => {
    if (!moves.focused(event.target) || event.ctrlKey || event.altKey || event.metaKey) return;
    const move = own[event.key];
    if (move) {
      event.preventDefault();
      move();
    } else if (event.key === "Enter" || event.key === "F2") {
      // What does nothing here is left to the page, and not lost.
      if (moves.type() || moves.open()) event.preventDefault();
    }
  };
}
