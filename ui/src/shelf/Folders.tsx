import type { CSSProperties } from 'react';
import type { ShelfFolder } from '../client';
import { count } from '../shared/format';

interface Node {
  path: string;
  pictures: number; // in it and in its folders
}

/** Every folder with those above it, each with all that is in it. */
export function nodesOf(folders: ShelfFolder[]): Node[] {
  const found = new Map<string, number>();
  for (const { folder, pictures } of folders) {
    const names = folder === '' ? [] : folder.split('/');
    for (let deep = 0; deep <= names.length; deep++) {
      const path = names.slice(0, deep).join('/');
      found.set(path, (found.get(path) ?? 0) + pictures);
    }
  }
  if (!found.has('')) found.set('', 0);
  return [...found]
    .map(([path, pictures]) => ({ path, pictures }))
    .toSorted((a, b) => byNames(a.path, b.path));
}

/** Orders paths so that each folder is followed by those in it. */
function byNames(a: string, b: string): number {
  const [x, y] = [a.split('/'), b.split('/')];
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const order = (x[i] ?? '').localeCompare(y[i] ?? '');
    if (order !== 0) return order;
  }
  return x.length - y.length;
}

/** The folders of the shelf, each with how many pictures are in it. */
export function Folders({
  folders,
  chosen,
  onChoose,
}: {
  folders: ShelfFolder[];
  chosen: string;
  onChoose: (folder: string) => void;
}) {
  return (
    <nav className="tree" aria-label="Folders of the shelf">
      {nodesOf(folders).map(({ path, pictures }) => (
        <button
          key={path}
          className={`treeline two${path === chosen ? ' on' : ''}`}
          aria-current={path === chosen ? 'true' : undefined}
          style={{ '--depth': path === '' ? 0 : path.split('/').length } as CSSProperties}
          onClick={() => onChoose(path)}
        >
          <span className="clip" title={path}>
            {path === '' ? 'The whole shelf' : path.slice(path.lastIndexOf('/') + 1)}
          </span>
          <span className="num">{count(pictures)}</span>
        </button>
      ))}
    </nav>
  );
}
