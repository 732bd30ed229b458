import { Button } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { listCatalogColumnsOptions } from '../client/@tanstack/react-query.gen';
import { SheetOut } from '../shared/SheetOut';
import { queryOf, type Wanted } from './Products';

/** Takes the products that are shown out as a sheet, or an empty one to fill in. */
export function TakeOut({ wanted, onClose }: { wanted: Wanted; onClose: () => void }) {
  const columns = useQuery(listCatalogColumnsOptions());
  const items = columns.data?.items;
  if (!items) return null;
  const query = Object.entries(queryOf(wanted)).flatMap(([name, value]) =>
    value ? [[name, String(value)]] : [],
  );
  return (
    <SheetOut
      title="Take the products out as a sheet"
      all={items.map((c) => [c.name, c.header])}
      usual={items.map((c) => c.name)}
      keptAs="ambrosa.catalog"
      always={['sku']}
      pictures={0}
      address={(chosen) => {
        const asked = new URLSearchParams(query);
        for (const name of chosen) asked.append('column', name);
        return `/media/catalog?${asked.toString()}`;
      }}
      onClose={onClose}
      beside={(format) => (
        <Button component="a" href={`/media/catalog/template?format=${format}`} onClick={onClose}>
          An empty one to fill in
        </Button>
      )}
    >
      <p className="flush quiet">
        Every variant that is shown is a row. Brought in again on Sheets, what you did not change is the same.
      </p>
    </SheetOut>
  );
}
