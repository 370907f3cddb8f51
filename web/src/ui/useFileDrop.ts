import { useState } from 'react';

/** Handlers for an element that files may be dropped on. */
export function useFileDrop(isAllowed: boolean, take: (files: readonly File[]) => void) {
  const [isOver, setOver] = useState(false);
  const handlers = {
    onDragOver: (event: React.DragEvent) => {
      if (!event.dataTransfer.types.includes('Files')) return;
      // Also where nothing may be dropped: the browser would open the file in place of the page.
      event.preventDefault();
      event.stopPropagation();
      event.dataTransfer.dropEffect = isAllowed ? 'copy' : 'none';
      setOver(isAllowed);
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: React.DragEvent) => {
      event.preventDefault();
      event.stopPropagation();
      setOver(false);
      if (isAllowed) take([...event.dataTransfer.files]);
    },
  };
  return { isOver, handlers };
}
