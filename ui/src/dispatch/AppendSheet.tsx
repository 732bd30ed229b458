import { Button, Modal } from '@mantine/core';
import { useState } from 'react';
import type { Outlet } from '../client';
import { Into, Where } from '../shared/SheetOut';

interface Props {
  outlet: Outlet;
  disabled: boolean;
}

/** Puts the sheet below what stands in a colleague's workbook. */
export function AppendSheet({ outlet, disabled }: Props) {
  const [open, setOpen] = useState(false);
  const [where, setWhere] = useState({ worksheet: '', from: '' });
  return (
    <>
      <Button disabled={disabled} onClick={() => setOpen(true)}>
        Put it into a workbook…
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title="Put the rows into a workbook that is there">
        <div className="columns">
          <Where choice={where} onChange={(change) => setWhere({ ...where, ...change })} />
          <div className="spread">
            <Into
              address={`/media/outlets/${outlet.id}/append`}
              where={where}
              disabled={false}
              onDone={() => setOpen(false)}
            />
            <Button onClick={() => setOpen(false)}>Leave it</Button>
          </div>
        </div>
      </Modal>
    </>
  );
}
