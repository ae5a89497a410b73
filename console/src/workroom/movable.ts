// Items of a list that are moved by drag, and by Alt with the arrows when they have the focus.
import { moveTo } from './part';
import type { Edit } from './api';

type Movable = {
  /** What is moved: an item goes only among those of its sort. */
  sort: string;
  /** Where the item stands. */
  path: string;
  /** Where it stands in its list; absent for what cannot be moved. */
  list?: { path: string; index: number; of: number };
  /** Told while something is dragged over it. */
  over: (is: boolean) => void;
  /** Makes the edits of a move; the item stands at a path then, where that is known. */
  move: (edits: Edit[], to?: string) => void;
  remove: () => void;
};

/** What an element has and listens to so that it can be moved. */
export function movable(item: () => Movable) {
  return {
    onkeydown(event: KeyboardEvent) {
      const { list, path, move, remove } = item();
      if (!list || event.target !== event.currentTarget) return;
      if (event.key === 'Delete') remove();
      else if (event.altKey && event.key === 'ArrowUp' && list.index > 0) move(moveTo(path, list.path, list.index - 1), `${list.path}/${list.index - 1}`);
      else if (event.altKey && event.key === 'ArrowDown' && list.index < list.of - 1)
        move(moveTo(path, list.path, list.index + 2), `${list.path}/${list.index + 1}`);
      else return;
      event.preventDefault();
    },
    ondragstart(event: DragEvent) {
      event.stopPropagation();
      event.dataTransfer?.setData(`text/x-${item().sort}`, item().path);
    },
    ondragover(event: DragEvent) {
      const { list, sort, over } = item();
      if (!list || !event.dataTransfer?.types.includes(`text/x-${sort}`)) return;
      event.preventDefault();
      event.stopPropagation();
      over(true);
    },
    ondragleave: () => item().over(false),
    ondrop(event: DragEvent) {
      const { list, sort, over, move } = item();
      event.preventDefault();
      event.stopPropagation();
      over(false);
      const from = event.dataTransfer?.getData(`text/x-${sort}`);
      if (from && list) move(moveTo(from, list.path, list.index));
    },
  };
}
