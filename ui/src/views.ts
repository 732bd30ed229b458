import { lazy } from 'react';

// A view's script is fetched when the view is first opened, so that the first page does not wait for all of
// them. A new view is one line here and one route.
const load = {
  catalog: () => import('./catalog/Catalog'),
  product: () => import('./catalog/ProductPage'),
  gather: () => import('./gather/Gather'),
  lot: () => import('./gather/LotPage'),
  origin: () => import('./gather/OriginPage'),
  scan: () => import('./gather/Scan'),
  single: () => import('./gather/SinglePage'),
  workshop: () => import('./gather/workshop/Workshop'),
  bench: () => import('./pair/Bench'),
  pair: () => import('./pair/PairStart'),
  plan: () => import('./plan/PlanPage'),
};

export const Catalog = lazy(() => load.catalog().then((m) => ({ default: m.Catalog })));
export const ProductPage = lazy(() => load.product().then((m) => ({ default: m.ProductPage })));
export const Gather = lazy(() => load.gather().then((m) => ({ default: m.Gather })));
export const LotPage = lazy(() => load.lot().then((m) => ({ default: m.LotPage })));
export const OriginPage = lazy(() => load.origin().then((m) => ({ default: m.OriginPage })));
export const Scan = lazy(() => load.scan().then((m) => ({ default: m.Scan })));
export const SinglePage = lazy(() => load.single().then((m) => ({ default: m.SinglePage })));
export const Workshop = lazy(() => load.workshop().then((m) => ({ default: m.Workshop })));
export const Bench = lazy(() => load.bench().then((m) => ({ default: m.Bench })));
export const PairStart = lazy(() => load.pair().then((m) => ({ default: m.PairStart })));
export const PlanPage = lazy(() => load.plan().then((m) => ({ default: m.PlanPage })));

/** Milliseconds after the first page in which the browser has nothing else to do. */
const idle = 1500;

/** Fetches the other views' scripts when the first page stands, so that going to one is a frame's work. */
export function fetchAhead(): () => void {
  const timer = setTimeout(() => {
    // What could not be fetched now is fetched when its view is opened, and said then.
    for (const view of Object.values(load)) void view().catch(() => undefined);
  }, idle);
  return () => clearTimeout(timer);
}
