import { Button, Group, NativeSelect, Paper, Text, Textarea, TextInput, Title } from '@mantine/core';
import { useAction, useSelection, useTask } from 'floe/react';
import { useState, type SyntheticEvent } from 'react';
import {
  askPositions,
  assignBerth,
  berths,
  note,
  noteWritten,
  pickedVisit,
  positionOf,
  renameVessel,
  visitCancelled,
  type VisitWhole,
} from '../model/index.js';
import { PhaseBadge } from './PhaseBadge.js';
import { clock } from './times.js';

/** The picked visit, and what the next watch should know. */
export function LogPanel() {
  const picked = useSelection(pickedVisit);
  const text = useSelection(note);
  const write = useAction(noteWritten);
  return (
    <Paper component="section" withBorder className="panel panel-log" aria-label="Picked visit and log">
      {picked ? (
        <VesselName key={picked.vessel.hull} hull={picked.vessel.hull} name={picked.vessel.name} />
      ) : (
        <Title order={2} size="h5" className="panel-head">
          No visit picked
        </Title>
      )}
      <div className="log-body">
        {picked ? (
          <VisitDetails visit={picked} />
        ) : (
          <Text size="sm" c="dimmed">
            Pick a visit in the list or a berth above.
          </Text>
        )}
        <Textarea
          label="Log note for the next watch (kept in this browser)"
          value={text}
          onChange={(event) => write(event.currentTarget.value)}
          autosize
          minRows={2}
          maxRows={4}
        />
      </div>
    </Paper>
  );
}

/** The name of a vessel; a new one shows wherever the vessel does. */
function VesselName({ hull, name }: { readonly hull: string; readonly name: string }) {
  const rename = useTask(renameVessel);
  const [next, setNext] = useState<string>();
  const [problem, setProblem] = useState<string>();
  if (next === undefined)
    return (
      <Group className="panel-head" justify="space-between" wrap="nowrap">
        <Title order={2} size="h5">
          {name}
        </Title>
        <Button size="compact-xs" variant="default" onClick={() => setNext(name)}>
          Rename
        </Button>
      </Group>
    );
  const close = (): void => {
    setNext(undefined);
    setProblem(undefined);
  };
  const submit = (event: SyntheticEvent): void => {
    event.preventDefault();
    rename(hull, next).then(close, (error: unknown) =>
      setProblem(error instanceof Error ? error.message : String(error)),
    );
  };
  return (
    <form className="panel-head" onSubmit={submit}>
      <Group gap="xs" wrap="nowrap" align="flex-start">
        <TextInput
          aria-label="Name of the vessel"
          size="sm"
          flex={1}
          value={next}
          error={problem}
          autoFocus
          onChange={(event) => setNext(event.currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key === 'Escape') close();
          }}
        />
        <Button size="sm" type="submit">
          Save
        </Button>
        <Button size="sm" variant="default" onClick={close}>
          Back
        </Button>
      </Group>
    </form>
  );
}

function VisitDetails({ visit }: { readonly visit: VisitWhole }) {
  const { vessel, place, services } = visit;
  return (
    <div>
      <Group gap="xs" mb={4}>
        <PhaseBadge phase={visit.phase} />
        <Text size="sm">
          {clock(visit.arrives)} to {clock(visit.departs)} at{' '}
          {place.kind === 'berth' ? `${place.id}, ${place.quay}` : `${place.id}, ${place.name}`}
        </Text>
      </Group>
      <Text size="sm" c="dimmed">
        {vessel.kind} {vessel.hull}, {vessel.length} m, draught {vessel.draught} m · {vessel.operator.name} (
        {vessel.operator.flag})
      </Text>
      {visit.phase !== 'alongside' && <Whereabouts hull={vessel.hull} />}
      {services.length > 0 && (
        <Text size="sm" c="dimmed">
          {services.map((service) => `${service.kind} ${service.status}, ${service.crew.name}`).join(' · ')}
        </Text>
      )}
      {visit.phase === 'expected' && <Decisions visit={visit} />}
    </div>
  );
}

function Whereabouts({ hull }: { readonly hull: string }) {
  const position = useSelection(positionOf(hull));
  const { error } = useSelection(askPositions.status);
  if (!position && !error) return null;
  return (
    <Text size="sm" c="dimmed" className="time">
      {position && `${Math.hypot(position.north, position.east).toFixed(1)} nautical miles from the harbour mouth`}
      {error && ` (no newer position: ${error.message})`}
    </Text>
  );
}

/** What can still be decided about a visit that is expected. */
function Decisions({ visit }: { readonly visit: VisitWhole }) {
  const choices = useSelection(berths);
  const assign = useTask(assignBerth);
  const assigning = useSelection(assignBerth.statusOf(visit.id));
  const cancel = useAction(visitCancelled);
  const { kind, id } = visit.place;
  return (
    <Group gap="xs" mt={6} wrap="nowrap">
      <NativeSelect
        aria-label="Assign a berth"
        size="xs"
        value={kind === 'berth' ? id : ''}
        data={[
          ...(kind === 'berth' ? [] : [{ value: '', label: 'Assign a berth' }]),
          ...choices.toArray().map((one) => ({ value: one.id, label: `${one.id}, ${one.depth} m deep` })),
        ]}
        onChange={(event) => void assign(visit.id, event.currentTarget.value)}
      />
      <Text size="xs" c="dimmed" flex={1}>
        {assigning.phase === 'running' ? 'asking the office …' : ''}
      </Text>
      <Button size="compact-xs" variant="default" onClick={() => cancel(visit.id)}>
        Cancel visit
      </Button>
    </Group>
  );
}
