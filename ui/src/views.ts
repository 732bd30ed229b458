import { createElement, lazy, useState, type ComponentType } from 'react';
import { matchPath } from 'react-router';

/** What is opened at some addresses. Its script is fetched when it is first needed. */
export interface View {
  paths: string[];
  fetch: () => Promise<unknown>;
  Shown: ComponentType;
}

/** A view of some addresses, and how its script is fetched. */
export function view(paths: string[], script: () => Promise<{ default: ComponentType }>): View {
  let here: ComponentType | undefined;
  const fetch = async () => {
    const fetched = await script();
    here = fetched.default;
    return fetched;
  };
  // What is here already is shown without waiting: having shown that it waits, React would for 300 ms.
  const Later = lazy(fetch);
  const Shown = () => createElement(useState(() => here ?? Later)[0]);
  return { paths, fetch, Shown };
}

/** Every view but the first page. A new one is one line here. */
export const views = [
  view(['/gather'], async () => ({ default: (await import('./gather/Gather')).Gather })),
  view(['/lots/:id'], async () => ({ default: (await import('./gather/LotPage')).LotPage })),
  view(['/origins/:id'], async () => ({ default: (await import('./gather/OriginPage')).OriginPage })),
  view(['/scan'], async () => ({ default: (await import('./gather/Scan')).Scan })),
  view(['/single'], async () => ({ default: (await import('./gather/SinglePage')).SinglePage })),
  view(['/recipes/new', '/recipes/:id'], async () => ({
    default: (await import('./gather/workshop/Workshop')).Workshop,
  })),
  view(['/pair'], async () => ({ default: (await import('./pair/PairStart')).PairStart })),
  view(['/pair/:id'], async () => ({ default: (await import('./pair/Bench')).Bench })),
  view(['/plans/:id'], async () => ({ default: (await import('./plan/PlanPage')).PlanPage })),
  view(['/catalog'], async () => ({ default: (await import('./catalog/Catalog')).Catalog })),
  view(['/sheets'], async () => ({ default: (await import('./sheets/Sheets')).Sheets })),
  view(['/sheets/:id'], async () => ({ default: (await import('./sheets/SheetPage')).SheetPage })),
  view(['/upkeep', '/upkeep/:part'], async () => ({ default: (await import('./upkeep/Upkeep')).Upkeep })),
  view(['/dispatch', '/dispatch/:id'], async () => ({
    default: (await import('./dispatch/Dispatch')).Dispatch,
  })),
  view(['/record'], async () => ({ default: (await import('./record/RecordPage')).RecordPage })),
  view(['/shelf'], async () => ({ default: (await import('./shelf/ShelfPage')).ShelfPage })),
  view(['/categories/:id'], async () => ({
    default: (await import('./catalog/CategoryPage')).CategoryPage,
  })),
  view(['/products/:id'], async () => ({ default: (await import('./catalog/ProductPage')).ProductPage })),
];

// What cannot be fetched now is fetched when its view is opened, and said then.
const begin = (v: View) => void v.fetch().catch(() => undefined);

/** Fetches what is opened at an address; what cannot be had is said where it is shown. */
export const fetchFor = (place: string) =>
  Promise.allSettled(
    views.filter((v) => v.paths.some((path) => matchPath(path, place))).map((v) => v.fetch()),
  );

/** Milliseconds after the first page in which the browser has nothing else to do. */
const idle = 1500;

/** Fetches the other views' scripts when the first page stands, so that going to one is a frame's work. */
export function fetchAhead(): () => void {
  const timer = setTimeout(() => views.forEach(begin), idle);
  return () => clearTimeout(timer);
}
