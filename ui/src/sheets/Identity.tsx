import { Button } from '@mantine/core';
import css from './Side.module.css';
import { fieldLabel, identifying } from './words';

interface Props {
  /** What the column is taken for. */
  field: string;
  /** What tells rows apart: the first that holds something. */
  identity: string[];
  onIdentity: (identity: string[]) => void;
}

/** Whether a column tells what a row is about: first of all, or where those before it are empty. */
export function Identity({ field, identity, onIdentity }: Props) {
  if (!identifying.includes(field)) return null;
  const at = identity.indexOf(field);
  const before = identity.slice(0, at < 0 ? identity.length : at).map(fieldLabel);
  const empty = `${before.join(' and ')} ${before.length > 1 ? 'are' : 'is'} empty`;
  if (at === 0)
    return <span>Tells which {field.startsWith('category') ? 'category' : 'product'} a row is about.</span>;
  if (at > 0)
    return (
      <>
        <span>Tells what a row is about where {empty}.</span>
        <Button
          size="compact-xs"
          className={css.short}
          onClick={() => onIdentity(identity.filter((f) => f !== field))}
        >
          Not any more
        </Button>
      </>
    );
  return (
    <>
      <Button size="compact-xs" className={css.short} onClick={() => onIdentity([field])}>
        Tell rows apart by this column
      </Button>
      {before.length > 0 && (
        <Button size="compact-xs" className={css.short} onClick={() => onIdentity([...identity, field])}>
          Where {empty}, by this column
        </Button>
      )}
    </>
  );
}
