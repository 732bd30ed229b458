import { SheetOut } from '../shared/SheetOut';
import type { Wanted } from './Findings';

const all: [string, string][] = [
  ['path', 'File'],
  ['reason', 'Found as'],
  ['detail', 'What of it'],
  ['since', 'Since'],
  ['code', 'Product'],
  ['title', 'Title'],
  ['lot', 'Lot'],
  ['origin', 'From'],
  ['width', 'Width'],
  ['height', 'Height'],
  ['bytes', 'Bytes'],
  ['frees', 'Would free, bytes'],
  ['sum', 'SHA-256'],
];
const usual = ['path', 'reason', 'detail', 'since', 'code', 'lot', 'bytes'];

/** Takes the findings that are shown out as a sheet, with pictures in the cells. */
export function TakeFindings({ wanted, onClose }: { wanted: Wanted; onClose: () => void }) {
  const query = Object.entries(wanted).flatMap(([name, value]) => (value ? [[name, String(value)]] : []));
  return (
    <SheetOut
      title="Take the findings that are shown out"
      all={all}
      usual={usual}
      keptAs="ambrosa.findings"
      pictures={96}
      address={(columns) =>
        `/media/findings?${new URLSearchParams([...query, ['columns', columns.join(',')]]).toString()}`
      }
      onClose={onClose}
    />
  );
}
