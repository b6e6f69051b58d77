import type { KeyboardEvent } from 'react';
import type { OpenCell } from './CellDetail.tsx';

// A sheet is gone through cell by cell (ARIA Authoring Practices, grid).

/** The cell beside another, in its row. */
export const nextCell = (cell: Element | null | undefined, by: 1 | -1): HTMLElement | undefined => {
  const next = by === 1 ? cell?.nextElementSibling : cell?.previousElementSibling;
  return next instanceof HTMLElement ? (next.querySelector<HTMLElement>('[data-row]') ?? next) : undefined;
};

/** The row above or below a cell, over the parts of its table. */
function rowBeside(cell: HTMLTableCellElement, by: 1 | -1): Element | undefined {
  const rows = [...(cell.closest('table')?.rows ?? [])];
  const at = rows.findIndex((row) => row === cell.parentElement);
  return at < 0 ? undefined : rows[at + by];
}

/** Keys on a cell: to the ones beside it, above it (the head too) and below it; Enter opens what is wrong with it. */
export function onCellKey(event: KeyboardEvent<HTMLElement>, open: (cell: OpenCell) => void): void {
  const cell = event.target as HTMLElement;
  if (!(cell instanceof HTMLTableCellElement)) return;
  const at = cell.cellIndex;
  const inRow = (row: Element | null | undefined): HTMLElement | undefined =>
    row instanceof HTMLTableRowElement ? (row.cells[Math.min(at, row.cells.length - 1)] ?? undefined) : undefined;
  const actions: Readonly<Record<string, () => void>> = {
    ArrowRight: () => nextCell(cell, 1)?.focus(),
    ArrowLeft: () => nextCell(cell, -1)?.focus(),
    ArrowDown: () => inRow(rowBeside(cell, 1))?.focus(),
    ArrowUp: () => inRow(rowBeside(cell, -1))?.focus(),
    Enter: () => openCell(cell, open),
    Escape: () => cell.parentElement?.querySelector<HTMLElement>('[data-row]')?.focus(),
  };
  const action = actions[event.key];
  if (!action) return;
  event.preventDefault();
  action();
}

/** Opens what is wrong with a cell, where it stands. */
export function openCell(target: HTMLElement, open: (cell: OpenCell) => void): void {
  const cell = target.closest<HTMLTableCellElement>('td[data-problem]');
  const path = cell?.parentElement?.getAttribute('data-drop');
  if (!cell || !path) return;
  const head = cell.closest('table')?.tHead?.rows[0]?.cells[cell.cellIndex];
  open({
    element: cell,
    path,
    message: cell.textContent ?? '',
    sample: head?.firstElementChild?.textContent ?? '',
  });
}
