import { ActionIcon, Button, Checkbox, TextInput } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import type { Recipe } from '../../client';

/** How addresses of pictures become those of larger ones. */
export function Rewriting({ recipe, set }: { recipe: Recipe; set: (change: Partial<Recipe>) => void }) {
  const list = recipe.rewriting ?? [];
  const change = (i: number, to: Partial<(typeof list)[number]>) =>
    set({ rewriting: list.map((r, n) => (n === i ? { ...r, ...to } : r)) });
  return (
    <div className="below-some">
      <div className="lesser strong">Rewriting of addresses, to larger pictures</div>
      {list.map((r, i) => (
        <div key={i} className="spread tight below-little">
          <TextInput
            aria-label={`Find ${i + 1}`}
            value={r.find}
            onChange={(e) => change(i, { find: e.currentTarget.value })}
            placeholder="find"
            className="grow"
            classNames={{ input: 'mono' }}
          />
          <TextInput
            aria-label={`Replace with ${i + 1}`}
            value={r.with}
            onChange={(e) => change(i, { with: e.currentTarget.value })}
            placeholder="replace with"
            className="grow"
            classNames={{ input: 'mono' }}
          />
          <Checkbox
            size="xs"
            label="pattern"
            checked={r.pattern}
            onChange={(e) => change(i, { pattern: e.currentTarget.checked })}
          />
          <ActionIcon
            aria-label={`Remove rewriting ${i + 1}`}
            onClick={() => set({ rewriting: list.filter((_, n) => n !== i) })}
          >
            <IconX size={15} />
          </ActionIcon>
        </div>
      ))}
      <Button
        size="compact-xs"
        mt={6}
        onClick={() => set({ rewriting: [...list, { find: '', with: '', pattern: false }] })}
      >
        Add a rewriting
      </Button>
    </div>
  );
}
