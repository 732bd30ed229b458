import { Button } from '@mantine/core';
import type { Problem } from '../client';
import { said, when } from './format';

/** Who changed a thing since it was opened; undefined where nobody did, or that is not what is wrong. */
export function changeSince(error: unknown): Problem['changed'] {
  return typeof error === 'object' && error !== null && 'changed' in error
    ? (error as Problem).changed
    : undefined;
}

interface Props {
  error: unknown;
  /** Shows how the thing is today, in the place of what was entered. */
  onReload?: () => void;
}

/** Says why something was not saved; where somebody changed it meanwhile, who and when. */
export function NotSaved({ error, onReload }: Props) {
  if (!error) return null;
  const change = changeSince(error);
  return (
    <div className="note bad" role="alert">
      {said(error)}
      {change && (
        <div className="spread">
          <span className="quiet">Changed {when(change.at)}</span>
          {onReload && (
            <Button className="push" onClick={onReload}>
              Show current values
            </Button>
          )}
        </div>
      )}
    </div>
  );
}
