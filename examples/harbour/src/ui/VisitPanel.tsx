import { Alert, Button, Group, Paper, SegmentedControl, Skeleton, Table, Text, Title } from '@mantine/core';
import { useAction, useSelection, useTask } from 'floe/react';
import {
  address,
  counts,
  dayShown,
  filterPicked,
  filterShown,
  loadDay,
  loading,
  loadingProblem,
  moveOn,
  nextPhase,
  pickedId,
  visitAt,
  visitShown,
  visitsShown,
  type Filter,
} from '../model/index.js';
import { useEffect, useRef } from 'react';
import { PhaseBadge } from './PhaseBadge.js';
import { clock } from './times.js';

const filters: readonly Filter[] = ['all', 'expected', 'alongside', 'departed'];

/** The day's visits, filtered by one phase at a time. The list opens at the first visit that is not over. */
export function VisitPanel() {
  const body = useRef<HTMLDivElement>(null);
  const day = useSelection(dayShown);
  const known = useSelection(loading) === 'done';
  useEffect(() => {
    const { current } = body;
    const first = current?.querySelector<HTMLElement>('tr.row:not([data-phase=departed], [data-phase=cancelled])');
    if (known && current && first) current.scrollTop = first.offsetTop - first.offsetHeight;
  }, [day, known]);
  return (
    <Paper component="section" withBorder className="panel panel-visits" aria-label="Visits">
      <Group justify="space-between" className="panel-head" wrap="wrap">
        <Title order={2} size="h5">
          Visits
        </Title>
        <PhaseFilter />
      </Group>
      <div className="panel-body" ref={body} tabIndex={0} role="region" aria-label="List of visits">
        <VisitList />
      </div>
    </Paper>
  );
}

function PhaseFilter() {
  const filter = useSelection(filterShown);
  const count = useSelection(counts);
  const known = useSelection(loading) === 'done';
  const pick = useAction(filterPicked);
  return (
    <SegmentedControl
      aria-label="Phase"
      color="teal.9"
      size="xs"
      value={filter}
      onChange={(value) => pick(value)}
      data={filters.map((value) => ({
        value,
        label: `${value[0].toUpperCase()}${value.slice(1)}${known ? ` ${count[value]}` : ''}`,
      }))}
    />
  );
}

function VisitList() {
  const state = useSelection(loading);
  const problem = useSelection(loadingProblem);
  const visits = useSelection(visitsShown);
  const filter = useSelection(filterShown);
  const day = useSelection(dayShown);
  const load = useTask(loadDay);
  if (state === 'failed') {
    return (
      <Alert m="md" color="red" title="The visits could not be loaded">
        <Text size="sm" mb="sm">
          {problem}
        </Text>
        <Button size="xs" color="red" variant="light" onClick={() => void load(day)}>
          Try again
        </Button>
      </Alert>
    );
  }
  const waiting = state !== 'done';
  return (
    <>
      <Table stickyHeader highlightOnHover verticalSpacing={6} horizontalSpacing="sm" aria-busy={waiting}>
        <Table.Thead>
          <Table.Tr>
            <Table.Th w={64}>Arrives</Table.Th>
            <Table.Th w={64} className="wide-only">
              Departs
            </Table.Th>
            <Table.Th>Vessel</Table.Th>
            <Table.Th w={72}>Place</Table.Th>
            <Table.Th w={112}>Phase</Table.Th>
            <Table.Th w={130}>
              <span className="for-readers">Next step</span>
            </Table.Th>
          </Table.Tr>
        </Table.Thead>
        <Table.Tbody>{waiting ? <Placeholders /> : visits.map(({ id }) => <VisitRow key={id} id={id} />)}</Table.Tbody>
      </Table>
      {!waiting && visits.length === 0 && (
        <Text c="dimmed" size="sm" p="md">
          {filter === 'all'
            ? 'No visits on this day. Plan one with the button above.'
            : `No visit is ${filter} on this day.`}
        </Text>
      )}
    </>
  );
}

function Placeholders() {
  return Array.from({ length: 12 }, (_, row) => (
    <Table.Tr key={row}>
      {[40, 40, 170, 32, 76, 90].map((width, column) => (
        <Table.Td key={column} className={column === 1 ? 'wide-only' : undefined}>
          <Skeleton height={14} my={4} width={width} />
        </Table.Td>
      ))}
    </Table.Tr>
  ));
}

function VisitRow({ id }: { readonly id: string }) {
  const visit = useSelection(visitShown(id));
  const picked = useSelection(pickedId) === id;
  const go = useAction(address.went);
  const move = useTask(moveOn);
  const moving = useSelection(moveOn.statusOf(id));
  if (!visit) return null;
  const next = nextPhase[visit.phase];
  return (
    <Table.Tr
      aria-selected={picked}
      data-phase={visit.phase}
      className={picked ? 'row row-picked' : 'row'}
      onClick={() => go(visitAt(visit.id))}
    >
      <Table.Td className="time">{clock(visit.arrives)}</Table.Td>
      <Table.Td className="time wide-only">{clock(visit.departs)}</Table.Td>
      <Table.Td className="vessel-cell">
        <button type="button" className="vessel" aria-pressed={picked}>
          {visit.vessel.name}
        </button>
        <Text span size="sm" c="dimmed" className="vessel-more">
          {visit.vessel.kind} · {visit.vessel.length} m{visit.remarks && ` · ${visit.remarks}`}
          {visit.priority === 'high' && ' · high priority'}
        </Text>
        {moving.error && (
          <Text size="xs" c="red" role="alert">
            {moving.error.message}
          </Text>
        )}
      </Table.Td>
      <Table.Td className="place-cell">{visit.place.id}</Table.Td>
      <Table.Td className="phase-cell">
        <PhaseBadge phase={visit.phase} />
      </Table.Td>
      <Table.Td ta="right" className="step-cell">
        {next && (
          <Button
            size="compact-xs"
            variant={picked ? 'filled' : 'default'}
            loading={moving.phase === 'running'}
            onClick={(event) => {
              event.stopPropagation();
              void move(visit.id);
            }}
          >
            {next === 'alongside' ? 'Bring alongside' : 'Let depart'}
          </Button>
        )}
      </Table.Td>
    </Table.Tr>
  );
}
