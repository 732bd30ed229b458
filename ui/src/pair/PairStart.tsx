import { useQuery } from '@tanstack/react-query';
import { Link, Navigate } from 'react-router';
import { listLotsOptions } from '../client/@tanstack/react-query.gen';
import { Empty, Failed } from '../shared/State';
import { OpenLot } from '../today/Today';

/** The way to the bench: at once where one lot waits, else by choice. */
export function PairStart() {
  const lots = useQuery(listLotsOptions());
  if (lots.error) return <Failed error={lots.error} again={() => void lots.refetch()} />;
  if (!lots.data) return null;
  const open = lots.data.items.filter((l) => l.state === 'ready');
  const waiting = open.filter((l) => l.contested + l.loose > 0);
  const only = waiting[0];
  if (only && waiting.length === 1) return <Navigate to={`/pair/${only.id}`} replace />;
  return (
    <div className="scroll pad">
      <section className="sheet">
        <h2>Lots on the bench</h2>
        {open.length === 0 && <Empty title="Nothing is to be paired.">Drop a supplier’s archive on <Link to="/gather">Gather</Link>; what its names do not settle comes here.</Empty>}
        {open.map((lot) => <OpenLot key={lot.id} lot={lot} />)}
      </section>
    </div>
  );
}
