import { Alert, Badge, Button, Code, Group, Modal, Stack, Text } from '@mantine/core';
import type { Persistence, StoredItem } from 'floe/persist';
import { useRuntime } from 'floe/react';
import { useEffect, useState } from 'react';
import { stores } from '../model/index.js';

interface StoredProps {
  readonly persistence: Persistence;
  readonly opened: boolean;
  readonly onClose: () => void;
}

const TABS: Readonly<Record<Persistence['tab'], string>> = {
  alone: 'Only this tab knows of it.',
  asking: 'Looking for other tabs of this page.',
  leading: 'All tabs of this page show the same; this one writes it down.',
  following: 'All tabs of this page show the same; another one writes it down.',
};

/** What this browser keeps, and the two ways to begin again: forgetting what is stored, and resetting what is shown. */
export function Stored({ persistence, opened, onClose }: StoredProps) {
  const { items, tab } = useStored(persistence, opened);
  return (
    <Modal opened={opened} onClose={onClose} size="xl" title="Kept in this browser">
      <Stack gap="md">
        <Text size="sm" c="dimmed">
          Forget clears what is stored and leaves the page as it is; the next change is stored again. Reset puts the
          page back to how it begins and leaves what is stored, until the next change.
        </Text>
        <Text size="sm" c="dimmed">
          {TABS[tab]}
        </Text>
        {persistence.problems.map((problem, i) => (
          <Alert key={i} color="orange" title={problem.code} p="xs">
            {problem.message}
          </Alert>
        ))}
        {items.length === 0 && <Text size="sm">Nothing is stored yet.</Text>}
        {items.map((item) => (
          <StoredCard key={item.key ?? item.store} item={item} persistence={persistence} />
        ))}
        <Begin persistence={persistence} />
      </Stack>
    </Modal>
  );
}

function StoredCard({ item, persistence }: { readonly item: StoredItem; readonly persistence: Persistence }) {
  const runtime = useRuntime();
  const store = stores.find(({ name }) => name === item.store);
  return (
    <section className="stored" aria-label={`Stored for ${item.key ?? item.store}`}>
      <Group justify="space-between" wrap="nowrap" align="flex-start">
        <div>
          <Text fw={600}>{item.store}</Text>
          <Text size="xs" c="dimmed">
            {[
              `${item.size.toLocaleString('en')} characters`,
              item.version !== undefined && `version ${item.version}`,
              item.changes !== undefined && item.changes > 0 && `${item.changes} changes beside the whole`,
            ]
              .filter(Boolean)
              .join(' · ')}
          </Text>
        </div>
        {item.kind === 'set aside' ? (
          <Badge color="orange" variant="light">
            set aside
          </Badge>
        ) : (
          store && (
            <Group gap="xs" wrap="nowrap">
              <Button size="compact-sm" variant="default" onClick={() => void persistence.forget(store)}>
                Forget
              </Button>
              <Button size="compact-sm" variant="default" onClick={() => runtime.reset(store)}>
                Reset
              </Button>
            </Group>
          )
        )}
      </Group>
      {item.why && <Text size="sm">{item.why}</Text>}
      <Code block className="stored-text">
        {item.text ?? shown(item.state)}
      </Code>
    </section>
  );
}

/** Short states take one line. */
function shown(state: unknown): string {
  const line = JSON.stringify(state);
  return line.length < 100 ? line : JSON.stringify(state, null, 2);
}

function Begin({ persistence }: { readonly persistence: Persistence }) {
  const runtime = useRuntime();
  const kept = stores.filter(({ name }) => ['log', 'visits', 'unsent'].includes(name));
  const beginAnew = async (): Promise<void> => {
    await persistence.forget();
    runtime.reset(...kept);
  };
  const save = async (): Promise<void> => {
    const blob = new Blob([JSON.stringify(await persistence.texts(), null, 1)], { type: 'application/json' });
    const link = document.createElement('a');
    link.href = URL.createObjectURL(blob);
    link.download = 'skerrow-kept.json';
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <Group justify="space-between">
      <Button variant="default" onClick={() => void save()}>
        Save as a file
      </Button>
      <Button color="red" variant="light" onClick={() => void beginAnew()}>
        Forget and reset all
      </Button>
    </Group>
  );
}

interface WhatIsStored {
  readonly items: readonly StoredItem[];
  readonly tab: Persistence['tab'];
}

/** What is stored, while it is shown; read again whenever something was stored or forgotten, here or in another tab. */
function useStored(persistence: Persistence, shown: boolean): WhatIsStored {
  const [stored, setStored] = useState<WhatIsStored>({ items: [], tab: persistence.tab });
  useEffect(() => {
    if (!shown) return;
    const look = async (): Promise<void> => {
      const items = await persistence.list().catch(() => []);
      setStored({ items, tab: persistence.tab });
    };
    void look();
    return persistence.watch(() => void look());
  }, [persistence, shown]);
  return stored;
}
