import { Button, SegmentedControl } from '@mantine/core';
import { ways, type Way } from './ways';

interface Props {
  way: Way;
  onWay: (way: Way) => void;
  /** What it is planned for, as "3 products". */
  onto: string;
  disabled: boolean;
  busy: boolean;
  onPlan: () => void;
}

/** Chooses the way to place, and makes the plan to look at. */
export function PlanIt({ way, onWay, onto, disabled, busy, onPlan }: Props) {
  return (
    <div className="spread wrap">
      <SegmentedControl
        aria-label="Way to place"
        value={way}
        onChange={(w) => onWay(w as Way)}
        data={ways.map(({ value, label }) => ({ value, label }))}
      />
      <Button className="push" variant="filled" disabled={disabled} loading={busy} onClick={onPlan}>
        Plan it for {onto}
      </Button>
    </div>
  );
}
