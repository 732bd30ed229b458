import { Button } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import type { ProductImport, Recorded } from '../client';
import { revertImportMutation, revertPlanMutation } from '../client/@tanstack/react-query.gen';
import { History } from '../record/History';
import { said } from '../shared/format';
import { tell } from '../shared/tell';
import type { Owner } from './owner';

interface Props {
  owner: Owner;
  /** The changes of its data, which can be reverted one by one. */
  fields: ProductImport[];
}

/** What placed pictures, or changed data: it can be reverted from its line. */
const placing: Recorded['action'][] = [
  'pictures.place',
  'pictures.arrange',
  'pictures.views',
  'plan.applied',
];
const writing: Recorded['action'][] = ['product.change', 'product.import', 'category.change', 'sheet.import'];

/** Who did what to a product or category; what is still in effect can be reverted for it alone. */
export function OwnerHistory({ owner, fields }: Props) {
  const plan = useMutation({
    ...revertPlanMutation(),
    onSuccess: () => tell('Reverting', 'The pictures are being put back as they were before.'),
    onError: (e) => tell('Could not revert', said(e), true),
  });
  const sheet = useMutation({
    ...revertImportMutation(),
    onSuccess: () => tell('Reverting', 'The data is being put back as it was before.'),
    onError: (e) => tell('Could not revert', said(e), true),
  });
  const act = (line: Recorded) => {
    const numberOf = (kind: string) => line.about.find((a) => a.kind === kind)?.id;
    const change = placing.includes(line.action)
      ? owner.changes.find((c) => c.plan === numberOf('plan'))
      : undefined;
    if (change)
      return (
        <Way
          open={change.state === 'applied'}
          busy={plan.isPending && plan.variables.path.id === change.plan}
          onRevert={() =>
            plan.mutate({ path: { id: change.plan }, query: { kind: owner.kind, owner: owner.id } })
          }
        />
      );
    const written = writing.includes(line.action)
      ? fields.find((c) => c.import === numberOf('import'))
      : undefined;
    if (!written) return null;
    return (
      <Way
        open={written.standing}
        busy={sheet.isPending && sheet.variables.path.id === written.import}
        onRevert={() => sheet.mutate({ path: { id: written.import }, query: { [owner.kind]: owner.id } })}
      />
    );
  };
  return <History kind={owner.kind} id={owner.id} act={act} />;
}

/** The way back from a change: a button as long as it is in effect. */
const Way = ({ open, busy, onRevert }: { open: boolean; busy: boolean; onRevert: () => void }) =>
  open ? (
    <Button loading={busy} onClick={onRevert}>
      Revert
    </Button>
  ) : (
    <span className="quiet">reverted</span>
  );
