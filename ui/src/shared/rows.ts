import {
  elementScroll,
  observeElementOffset,
  useVirtualizer,
  type VirtualItem,
} from '@tanstack/react-virtual';
import { useEffect, useRef } from 'react';

interface Options {
  count: number;
  box: () => HTMLElement | null;
  /** Height of a row, and of a head that stays above the rows, pixels. */
  height: number;
  head?: number;
  onWidth?: (width: number) => void;
}

/** The rows of a list that can be seen, each at its place in the room of all. */
export interface Rows {
  seen: VirtualItem[];
  /** The room that the list takes, pixels. */
  size: number;
  scrollTo: (index: number) => void;
}

/** The tallest element that browsers lay out without fault, pixels: some stop at 17 million. */
const tallest = 15_000_000;

/**
 * The rows of a list of any length. A list that would be taller than an element can be is drawn in less room:
 * its scroll bar then moves by more rows, and its last row is reached.
 */
export function useRows({ count, box, height, head = 0, onWidth }: Options): Rows {
  const whole = head + count * height;
  const scaled = useRef(whole);
  useEffect(() => {
    scaled.current = whole;
  }, [whole]);
  // How many pixels of the list one pixel of the scroll bar moves.
  const factor = () => scaleOf(scaled.current, box()?.clientHeight ?? 0);
  const rows = useVirtualizer({
    count,
    getScrollElement: box,
    estimateSize: () => height,
    paddingStart: head,
    scrollPaddingStart: head,
    overscan: 6,
    observeElementOffset: (instance, tell) =>
      observeElementOffset(instance, (offset, scrolling) => tell(offset * factor(), scrolling)),
    scrollToFn: (offset, options, instance) => elementScroll(offset / factor(), options, instance),
    onChange: (v) => onWidth?.(v.scrollRect?.width ?? 800),
  });
  const shown = rows.scrollRect?.height ?? 0;
  const offset = rows.scrollOffset ?? 0;
  const scale = scaleOf(whole, shown);
  const shift = offset - offset / scale;
  return {
    seen: rows.getVirtualItems().map((row) => (shift > 0 ? { ...row, start: row.start - shift } : row)),
    size: Math.min(whole, tallest),
    scrollTo: (index) => {
      if (scale === 1) return rows.scrollToIndex(index);
      const start = index * height; // of the row below the head
      const to = start < offset ? start : Math.max(offset, head + start + height - shown);
      box()?.scrollTo({ top: to / scale });
    },
  };
}

const scaleOf = (whole: number, shown: number) => (whole > tallest ? (whole - shown) / (tallest - shown) : 1);
