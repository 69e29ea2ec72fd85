<script setup>
// The first store's example, editable, beside a page that runs it with its inspector. Nothing leaves the browser.
import { onMounted, onUnmounted, ref, watch } from 'vue';
import { useData, withBase } from 'vitepress';

const FIRST = `import { createRuntime, store } from 'floe';
import { recording } from 'floe/trace';
import { showInspector } from 'floe/inspector';

const visits = store('visits', { list: ['Wren Sound'], picked: null });

const visitPlanned = visits.action('planned', (draft, vessel) => {
  draft.list.push(vessel);
});
const visitCancelled = visits.action('cancelled', (draft, vessel) => {
  draft.list = draft.list.filter((one) => one !== vessel);
});
const expected = visits.selector('expected', ({ list }) => list.length);

const runtime = createRuntime({ stores: [visits], trace: recording() });

// The page. Each part runs again when something that it reads changes.
document.body.innerHTML = '<h1></h1><button>Plan a visit</button><ul></ul>';
const names = ['Corran Bell', 'Far Lodestar', 'Ardle', 'Ostrel'];
document.querySelector('button').onclick = () =>
  runtime.dispatch(visitPlanned(names[runtime.read(expected) % names.length]));

runtime.follow((read) => {
  document.querySelector('h1').textContent = 'Expected today: ' + read(expected);
});
runtime.follow((read) => {
  const items = read(visits).list.map((vessel) => {
    const item = document.createElement('li');
    const cancel = document.createElement('button');
    cancel.textContent = 'Cancel ' + vessel;
    cancel.onclick = () => runtime.dispatch(visitCancelled(vessel));
    item.append(cancel);
    return item;
  });
  document.querySelector('ul').replaceChildren(...items);
});

showInspector(runtime, { folded: false });
`;

const { isDark } = useData();
const place = ref();
const shown = ref('');
const wrong = ref('');
let editor;
let timer;

const imports = () =>
  JSON.stringify({
    imports: Object.fromEntries(
      [
        ['floe', 'floe'],
        ['floe/trace', 'trace'],
        ['floe/inspector', 'inspector'],
      ].map(([name, file]) => [name, new URL(withBase(`/live/${file}.js`), location.href).href]),
    ),
  });

function run() {
  const code = editor.state.doc.toString();
  wrong.value = '';
  shown.value = `<!doctype html><meta name="color-scheme" content="${isDark.value ? 'dark' : 'light'}">
<style>body { font: 1rem/1.5 system-ui, sans-serif; margin: 1rem; } button { font: inherit; padding: 0.3rem 0.8rem; } li { margin: 0.3rem 0; }</style>
<body></body><script type="importmap">${imports()}<\/script>
<script>onerror = (text) => parent.postMessage({ live: text }, '*'); onunhandledrejection = ({ reason }) => parent.postMessage({ live: String(reason) }, '*');<\/script>
<script type="module">${code.replaceAll('</script', '<\\/script')}<\/script>`;
}
const heard = ({ data }) => {
  if (data?.live) wrong.value = data.live;
};

onMounted(async () => {
  const [{ basicSetup, EditorView }, { javascript }] = await Promise.all([
    import('codemirror'),
    import('@codemirror/lang-javascript'),
  ]);
  const typed = EditorView.updateListener.of(({ docChanged }) => {
    if (!docChanged) return;
    clearTimeout(timer);
    timer = setTimeout(run, 600);
  });
  const named = EditorView.contentAttributes.of({ 'aria-label': 'The program' });
  editor = new EditorView({ doc: FIRST, extensions: [basicSetup, javascript(), typed, named], parent: place.value });
  addEventListener('message', heard);
  run();
});
watch(isDark, run);
onUnmounted(() => {
  clearTimeout(timer);
  editor?.destroy();
  if (typeof removeEventListener === 'function') removeEventListener('message', heard);
});
</script>

<template>
  <div class="live">
    <div ref="place" class="program"></div>
    <div class="page">
      <iframe title="The page, with its inspector" :srcdoc="shown"></iframe>
      <p v-if="wrong" role="alert">{{ wrong }}</p>
    </div>
  </div>
</template>

<style scoped>
.live {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.1fr);
  height: calc(100vh - var(--vp-nav-height) - 7.5rem);
  min-height: 34rem;
  border: 1px solid var(--vp-c-divider);
}
.program {
  overflow: auto;
  border-right: 1px solid var(--vp-c-divider);
  font-size: 0.8125rem;
  background: #fff;
  color: #1d2b33;
}
.dark .program {
  background: #f3f5f6;
}
.page {
  position: relative;
  display: flex;
}
iframe {
  flex: 1;
  border: 0;
}
[role='alert'] {
  position: absolute;
  inset: 0 0 auto;
  margin: 0;
  padding: 0.5rem 1rem;
  font-size: 0.875rem;
  color: #7c160c;
  background: #fbe3df;
}
@media (max-width: 60rem) {
  .live {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 20rem 34rem;
    height: auto;
  }
}
</style>
