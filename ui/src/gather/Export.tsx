import { SheetOut } from '../shared/SheetOut';

const all: [string, string][] = [
  ['path', 'File'],
  ['code', 'SKU'],
  ['title', 'Product'],
  ['verdict', 'Verdict'],
  ['reason', 'Reason'],
  ['place', 'Place'],
  ['view', 'View'],
  ['width', 'Width'],
  ['height', 'Height'],
  ['bytes', 'Bytes'],
  ['type', 'Type'],
  ['marks', 'Marks'],
  ['rights', 'Rights'],
  ['licence', 'Licence'],
  ['credit', 'Credit'],
  ['creator', 'Creator'],
  ['notice', 'Copyright notice'],
  ['address', 'Address'],
  ['sum', 'SHA-256'],
];
const usual = ['path', 'code', 'verdict', 'width', 'height', 'bytes', 'marks', 'rights'];

/** Takes the files that are shown out as a sheet, with pictures in the cells. */
export function Export({
  onClose,
  lot,
  query,
}: {
  onClose: () => void;
  lot: number;
  query: Record<string, string>;
}) {
  return (
    <SheetOut
      title="Take the files that are shown out"
      all={all}
      usual={usual}
      keptAs="ambrosa.export"
      pictures={96}
      address={(columns) =>
        `/media/lots/${lot}/list?${new URLSearchParams({ ...query, columns: columns.join(',') }).toString()}`
      }
      onClose={onClose}
    />
  );
}
