import { beforeAll, describe, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import { promisify } from 'node:util';

/** The production bundle of a program, made by a process of its own: Vite does not run inside Jest. */
async function bundled(program: string): Promise<string> {
  const script = `import { bundled } from './bench/size.mjs'; process.stdout.write(await bundled(${JSON.stringify(program)}));`;
  const { stdout } = await promisify(execFile)(process.execPath, ['--input-type=module', '-e', script], {
    cwd: process.cwd(),
    env: { ...process.env, NODE_ENV: 'production', NODE_OPTIONS: '' },
    maxBuffer: 1 << 26,
  });
  return stdout;
}

describe('a production bundle of an application that imports only floe', () => {
  let code: string;
  beforeAll(async () => {
    code = await bundled("import { store, createRuntime } from 'floe'; globalThis.use = [store, createRuntime];");
  });

  test('the bundle has errors by code, and no long messages, checks or freezing', () => {
    expect(code).toContain('FLOE_CHANGE_FAILED');
    expect(code).not.toMatch(/No store was touched|Did you mean|is not plain data|Levenshtein/);
    expect(code).not.toMatch(/WeakSet|Cannot \$\{/);
  });

  test('the bundle has nothing of trace, storage, patches, Node or the DOM', () => {
    for (const word of [
      'FLOE_PATCH_FAILED',
      'FLOE_NOT_A_TRACE',
      'FLOE_STORED_DAMAGED',
      'FLOE_STILL_LINKED',
      // What a table says it is.
      '`Table`',
      'localStorage',
      'process.env',
      'node:',
    ])
      expect(code).not.toContain(word);
  });
});

test('a production bundle with tables takes answers in, and hands tables over as text', async () => {
  const code = await bundled(`
    import { createRuntime, parseSnapshot, snapshotText } from 'floe';
    import { entity, rowOf, tables } from 'floe/entities';
    const vessel = entity('vessel', rowOf(), { key: 'hull' });
    const port = tables('port', [vessel]);
    const runtime = createRuntime({ stores: [port] });
    runtime.dispatch(port.ingest(vessel, [{ hull: 10, name: 'Ern' }, { hull: 9, name: 'Skua' }]));
    const again = createRuntime({ stores: [port], initial: parseSnapshot(snapshotText(runtime)) });
    console.log(again.read(port.all(vessel)).map(({ name }) => name).join());
  `);
  expect(code).not.toContain('FLOE_NOT_A_TRACE');
  const { stdout } = await promisify(execFile)(process.execPath, ['--input-type=module', '-e', code]);
  expect(stdout).toBe('Ern,Skua\n');
});

test('a production bundle without tables refuses a snapshot that has some', async () => {
  const code = await bundled(`
    import { createRuntime, parseSnapshot, store } from 'floe';
    const initial = JSON.stringify({ port: { vessel: { 'floe:type': 'table', value: [] } } });
    try {
      createRuntime({ stores: [store('port', { vessel: null })], initial: parseSnapshot(initial) });
    } catch (error) {
      console.log(error.code, error.message);
    }
  `);
  const { stdout } = await promisify(execFile)(process.execPath, ['--input-type=module', '-e', code]);
  expect(stdout).toMatch(/^FLOE_BAD_SNAPSHOT .*floe\/entities/);
});

test('a bundle with the trace has what the trace needs', async () => {
  const code = await bundled("import { recording } from 'floe/trace'; globalThis.use = recording;");
  expect(code).toContain('FLOE_NOT_A_TRACE');
  expect(code).not.toContain('FLOE_STORED_DAMAGED');
});
