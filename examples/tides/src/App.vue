<script setup lang="ts">
import { useAction, useSelection } from 'floe/vue';
import BerthLine from './BerthLine.vue';
import { board, clash, clashes, metres, need, surgeMeasured, visitPicked, wantedSet, water } from './model';
import TideChart from './TideChart.vue';

const berths = useSelection((read) => read(board).berths);
const set = useSelection(water);
const wrong = useSelection((read) => read(clashes).map((visit) => ({ visit, why: read(clash(visit.id)) })));
const picked = useSelection(need);
const measure = useAction(surgeMeasured);
const want = useAction(wantedSet);
const pick = useAction(visitPicked);
const number = (event: Event) => Number((event.target as HTMLInputElement).value);
const signed = (value: number) => (value > 0 ? '+' : '') + metres(value);
</script>

<template>
  <main>
    <header>
      <h1>Tides at Skerrow Harbour</h1>
      <p>2 March 2031. Heights in metres above chart datum.</p>
    </header>
    <TideChart />
    <section class="board" aria-label="Berths">
      <BerthLine v-for="berth in berths" :key="berth.id" :berth="berth" />
      <p class="keys">
        ← → move {{ picked.visit.vessel }} by an hour, ↑ ↓ to another berth. Hatched: too little water.
      </p>
    </section>
    <aside>
      <section aria-live="polite">
        <h2>{{ wrong.length === 0 ? 'No clash' : `${wrong.length} ${wrong.length === 1 ? 'clash' : 'clashes'}` }}</h2>
        <ul>
          <li v-for="{ visit, why } in wrong" :key="visit.id">
            <button :class="{ picked: visit.id === picked.visit.id }" @click="pick(visit.id)">
              <strong>{{ visit.vessel }}</strong> {{ why }}
            </button>
          </li>
        </ul>
      </section>
      <p class="set">
        <label for="surge">Surge</label> <output for="surge">{{ signed(set.surge) }}</output>
        <input
          id="surge"
          type="range"
          min="-1"
          max="1.5"
          step="0.1"
          :value="set.surge"
          @input="measure(number($event))"
        />
      </p>
      <p class="set">
        <label for="wanted">Wanted under the keel</label> <output for="wanted">{{ metres(set.wanted) }}</output>
        <input
          id="wanted"
          type="range"
          min="0.2"
          max="1.5"
          step="0.1"
          :value="set.wanted"
          @input="want(number($event))"
        />
      </p>
    </aside>
  </main>
</template>
