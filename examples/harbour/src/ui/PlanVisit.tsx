import { Alert, Button, Group, Modal, Select, Stack } from '@mantine/core';
import { TimePicker } from '@mantine/dates';
import { useSelection, useTask } from 'floe/react';
import { useState, type SyntheticEvent } from 'react';
import { berths, dayShown, planVisit, vessels } from '../model/index.js';

/** The form that plans a visit on the day that is shown. */
export function PlanVisit({ opened, onClose }: { readonly opened: boolean; readonly onClose: () => void }) {
  return (
    <Modal opened={opened} onClose={onClose} title="Plan a visit" centered>
      <PlanForm onDone={onClose} />
    </Modal>
  );
}

function PlanForm({ onDone }: { readonly onDone: () => void }) {
  const day = useSelection(dayShown);
  const fleet = useSelection(vessels);
  const places = useSelection(berths);
  const plan = useTask(planVisit);
  const [hull, setHull] = useState<string | null>(null);
  const [place, setPlace] = useState<string | null>(null);
  const [arrives, setArrives] = useState('21:30');
  const [departs, setDeparts] = useState('23:15');
  const [state, setState] = useState<{ readonly busy: boolean; readonly problem?: string }>({ busy: false });

  const submit = (event: SyntheticEvent): void => {
    event.preventDefault();
    if (hull === null || place === null) return setState({ busy: false, problem: 'Choose a vessel and a berth.' });
    setState({ busy: true });
    const at = (time: string): string => `${day}T${time}:00.000Z`;
    plan({ hull, place, arrives: at(arrives), departs: at(departs) }).then(onDone, (error: unknown) =>
      setState({ busy: false, problem: error instanceof Error ? error.message : String(error) }),
    );
  };

  return (
    <form onSubmit={submit}>
      <Stack gap="sm">
        <Select
          label="Vessel"
          placeholder="Choose a vessel"
          searchable
          data={fleet.map((vessel) => ({
            value: vessel.hull,
            label: `${vessel.name} (${vessel.kind}, ${vessel.length} m)`,
          }))}
          value={hull}
          onChange={setHull}
        />
        <Select
          label="Berth"
          placeholder="Choose a berth"
          data={places.map((berth) => ({ value: berth.id, label: `${berth.id}, ${berth.quay} (${berth.length} m)` }))}
          value={place}
          onChange={setPlace}
        />
        <Group grow>
          <TimePicker label="Arrives (UTC)" format="24h" value={arrives} onChange={setArrives} />
          <TimePicker label="Departs (UTC)" format="24h" value={departs} onChange={setDeparts} />
        </Group>
        {state.problem && <Alert color="red">{state.problem}</Alert>}
        <Group justify="flex-end">
          <Button variant="default" onClick={onDone}>
            Back
          </Button>
          <Button type="submit" loading={state.busy}>
            Plan the visit
          </Button>
        </Group>
      </Stack>
    </form>
  );
}
