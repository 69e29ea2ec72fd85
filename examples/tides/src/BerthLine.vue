<script setup lang="ts">
import { useAction, useSelection } from 'floe/vue';
import {
  beside,
  board,
  clash,
  clearances,
  hourText,
  least,
  level,
  metres,
  visitPicked,
  visitShifted,
  water,
  type Berth,
} from './model';

const { berth } = defineProps<{ berth: Berth }>();
// One value for each visit at this berth: another berth's visits do not render this line.
const visits = useSelection((read) =>
  read(board)
    .visits.filter((visit) => visit.berth === berth.id)
    .map((visit) => ({
      ...visit,
      under: read(least(visit.id)),
      why: read(clash(visit.id)),
      isShort: read(clearances(visit.id)).map((one) => one < read(water).wanted),
      // Two at one berth share its line.
      half: read(beside(visit.id)).map((other) => (other.from < visit.from ? 'later' : 'earlier'))[0],
      isPicked: read(board).picked === visit.id,
    })),
);
const deep = useSelection((read) => Array.from({ length: 24 }, (_, hour) => berth.depth + read(level(hour + 0.5))));
const pick = useAction(visitPicked);
const shift = useAction(visitShifted);
const steps: Record<string, { hours?: number; up?: number }> = {
  ArrowLeft: { hours: -1 },
  ArrowRight: { hours: 1 },
  ArrowUp: { up: 1 },
  ArrowDown: { up: -1 },
};
function moved(event: KeyboardEvent, id: string) {
  const step = steps[event.key];
  if (!step) return;
  event.preventDefault();
  pick(id);
  shift(step);
  // In another line the visit is another element.
  if (step.up) requestAnimationFrame(() => document.getElementById(id)?.focus());
}
</script>

<template>
  <div class="line">
    <span class="name"
      >{{ berth.id }} <small>{{ metres(berth.depth) }}</small></span
    >
    <i v-for="(depth, hour) in deep" :key="hour" :style="{ gridColumn: hour + 2, '--deep': depth / 12 }" />
    <button
      v-for="visit in visits"
      :id="visit.id"
      :key="visit.id"
      :class="[visit.half, { wrong: visit.why, picked: visit.isPicked }]"
      :style="{ gridColumn: `${visit.from + 2} / span ${visit.hours}` }"
      :aria-pressed="visit.isPicked"
      @click="pick(visit.id)"
      @keydown="moved($event, visit.id)"
    >
      <span class="vessel">{{ visit.vessel }}</span>
      <span class="under">&#32;{{ metres(visit.under) }}</span>
      <span class="unseen">
        under its keel, {{ berth.id }}, {{ hourText(visit.from) }} to {{ hourText(visit.from + visit.hours)
        }}{{ visit.why ? `, ${visit.why}` : '' }}
      </span>
      <span class="hoursOf"><b v-for="(isShort, i) in visit.isShort" :key="i" :class="{ short: isShort }" /></span>
    </button>
  </div>
</template>
