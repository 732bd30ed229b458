import { Box, Button, Modal, TextInput } from '@mantine/core';
import { useState } from 'react';
import { shotViews } from './shotViews';

interface Props {
  open: boolean;
  /** The view that it has; undefined where several files may have different ones. */
  view: string | undefined;
  /** Why none can be set; nothing where one can. */
  refusal?: string;
  onClose: () => void;
  onView: (view: string) => void;
}

/** Chooses what a picture shows. */
export function ViewDialog({ open, view, refusal, onClose, onView }: Props) {
  return (
    <Modal opened={open} onClose={onClose} title="Set view" size="sm">
      {refusal ? <p>{refusal}</p> : open && <Views view={view} onView={onView} />}
    </Modal>
  );
}

function Views({ view, onView }: Pick<Props, 'view' | 'onView'>) {
  const [other, setOther] = useState(view && !shotViews.includes(view) ? view : '');
  return (
    <div className="columns">
      <Box className="spread wrap tight" pt={4}>
        {shotViews.map((v, i) => (
          <Button
            key={v}
            {...(i === 0 && { 'data-autofocus': true })}
            variant={v === view ? 'filled' : 'default'}
            onClick={() => onView(v)}
          >
            {v}
          </Button>
        ))}
        <Button variant="subtle" onClick={() => onView('')}>
          none
        </Button>
      </Box>
      <form
        className="spread"
        onSubmit={(e) => {
          e.preventDefault();
          onView(other.trim().toLowerCase());
        }}
      >
        <TextInput
          className="grow"
          aria-label="Another view"
          placeholder="Another view"
          maxLength={40}
          value={other}
          onChange={(e) => setOther(e.currentTarget.value)}
        />
        <Button type="submit" disabled={!other.trim()}>
          Set view
        </Button>
      </form>
    </div>
  );
}
