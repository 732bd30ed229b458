import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import { rectSortingStrategy, SortableContext, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import type { CSSProperties, ReactNode } from 'react';

/**
 * Pictures whose order is changed by dragging. Keys are for the view to give, so that they are the same
 * everywhere.
 */
export function Sorted({
  ids,
  onMove,
  children,
}: {
  ids: string[];
  onMove: (from: number, to: number) => void;
  children: ReactNode;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { keyboardCodes: { start: [], cancel: ['Escape'], end: [] } }),
  );
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={({ active, over }) => {
        const from = ids.indexOf(String(active.id));
        const to = over ? ids.indexOf(String(over.id)) : -1;
        if (from >= 0 && to >= 0 && from !== to) onMove(from, to);
      }}
    >
      <SortableContext items={ids} strategy={rectSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  );
}

/**
 * What one of the sorted pictures needs to be dragged. It says of itself when it follows the pointer
 * (data-dragging) and when what is dragged would fall on it (data-over).
 */
export function useSorted(id: string) {
  const { setNodeRef, listeners, transform, transition, isDragging, isOver } = useSortable({ id });
  const style: CSSProperties = {
    transform: CSS.Transform.toString(transform),
    zIndex: isDragging ? 2 : undefined,
  };
  if (transition) style.transition = transition;
  return {
    ref: setNodeRef,
    style,
    'data-dragging': isDragging || undefined,
    'data-over': (isOver && !isDragging) || undefined,
    ...listeners,
  };
}
