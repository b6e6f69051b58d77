import { type DragEvent, useState } from 'react';

/** Lets files be dropped on an element: its handlers, and whether some are held over it now. */
export function useFileDrop(onFiles: (files: readonly File[]) => void) {
  const [isOver, setOver] = useState(false);
  const handlers = {
    onDragOver: (event: DragEvent): void => {
      if (!event.dataTransfer.types.includes('Files')) return;
      event.preventDefault();
      setOver(true);
    },
    onDragLeave: (event: DragEvent): void => {
      // Over a part of the element it hasn't left it.
      if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
    },
    onDrop: (event: DragEvent): void => {
      event.preventDefault();
      setOver(false);
      const files = [...event.dataTransfer.files];
      if (files.length > 0) onFiles(files);
    },
  };
  return { isOver, handlers };
}
