import { Button, FileButton, Modal, TextInput } from '@mantine/core';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import type { Outlet } from '../client';
import { said } from '../shared/format';
import { tell } from '../shared/tell';

interface Props {
  outlet: Outlet;
  disabled: boolean;
}

interface Where {
  worksheet: string;
  from: string;
}

/** Has the rows put into a workbook that is handed in, and hands that workbook back. */
async function append(outlet: Outlet, workbook: File, where: Where): Promise<string> {
  const asked = new URLSearchParams(Object.entries(where).filter(([, value]) => value !== ''));
  const answer = await fetch(`/media/outlets/${outlet.id}/append?${asked.toString()}`, {
    method: 'POST',
    body: workbook,
    headers: { 'Content-Type': 'application/octet-stream' },
  });
  if (!answer.ok) throw (await answer.json()) as unknown;
  const link = document.createElement('a');
  link.href = URL.createObjectURL(await answer.blob());
  link.download = workbook.name;
  link.click();
  URL.revokeObjectURL(link.href);
  return decodeURIComponent(answer.headers.get('Ambrosa-Put') ?? '');
}

/** Puts the sheet below what stands in a colleague's workbook. */
export function AppendSheet({ outlet, disabled }: Props) {
  const [open, setOpen] = useState(false);
  const [where, setWhere] = useState<Where>({ worksheet: '', from: '' });
  const appending = useMutation({
    mutationFn: (workbook: File) => append(outlet, workbook, where),
    onSuccess: (words, workbook) => {
      setOpen(false);
      tell(`${workbook.name} is handed back`, `${words}. What else stands in it is as it was.`);
    },
  });
  return (
    <>
      <Button disabled={disabled} onClick={() => setOpen(true)}>
        Put it into a workbook…
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title="Put the rows into a workbook that is there">
        <div className="columns">
          <p className="quiet flush">
            They go below what stands in it, each cell in the column of its title; new titles stand behind the
            last. The workbook is handed back, the rest of it as it was.
          </p>
          <TextInput
            label="Worksheet"
            placeholder="the first"
            value={where.worksheet}
            onChange={(e) => setWhere({ ...where, worksheet: e.currentTarget.value })}
          />
          <TextInput
            label="From a cell of one’s own"
            placeholder="below what stands; else as B7"
            value={where.from}
            onChange={(e) => setWhere({ ...where, from: e.currentTarget.value })}
          />
          {appending.error && (
            <div className="note bad" role="alert">
              {said(appending.error)}
            </div>
          )}
          <div className="spread">
            <FileButton accept=".xlsx" onChange={(file) => file && appending.mutate(file)}>
              {(props) => (
                <Button {...props} variant="filled" loading={appending.isPending}>
                  Choose the workbook…
                </Button>
              )}
            </FileButton>
            <Button onClick={() => setOpen(false)}>Leave it</Button>
          </div>
        </div>
      </Modal>
    </>
  );
}
