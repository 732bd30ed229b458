import type { VirtualItem } from '@tanstack/react-virtual';
import type { CSSProperties } from 'react';

/** The room that all rows of a long list take, of which only those in sight are there; for the class tall. */
export const tallOf = (size: number) => ({ '--tall': `${size}px` }) as CSSProperties;

/** Where a row of a long list stands; for the class at. */
export const atOf = (row: VirtualItem) => ({ '--top': `${row.start}px` }) as CSSProperties;
