// `npm run api` writes the public interface into docs/reference/api/, a file an entry; `npm run api -- --check` fails where one
// of them is not what the declarations in dist say.
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { CompilerState, Extractor, ExtractorConfig, ExtractorLogLevel } from '@microsoft/api-extractor';

const root = process.cwd();
const { name, exports } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
const entries = Object.entries(exports).flatMap(([path, { types }]) => (types ? [[path, join(root, types)]] : []));
const folder = join(root, 'docs/reference/api');
const scratch = join(root, 'node_modules/.cache/api');
mkdirSync(folder, { recursive: true });
mkdirSync(scratch, { recursive: true });

const configOf = ([path, file]) =>
  ExtractorConfig.prepare({
    configObject: {
      projectFolder: root,
      mainEntryPointFilePath: file,
      compiler: {
        overrideTsconfig: {
          compilerOptions: {
            module: 'nodenext',
            moduleResolution: 'nodenext',
            target: 'es2022',
            lib: ['es2022', 'dom', 'dom.iterable', 'esnext.disposable'],
            jsx: 'react-jsx',
            strict: true,
            skipLibCheck: true,
            types: ['node'],
          },
          files: entries.map(([, entry]) => entry),
        },
      },
      apiReport: {
        enabled: true,
        reportFileName: path === '.' ? name : path.slice(2).replaceAll('/', '-'),
        reportFolder: folder,
        reportTempFolder: scratch,
      },
      docModel: { enabled: false },
      dtsRollup: { enabled: false },
      tsdocMetadata: { enabled: false },
      messages: {
        compilerMessageReporting: { default: { logLevel: ExtractorLogLevel.Error } },
        extractorMessageReporting: { default: { logLevel: ExtractorLogLevel.None } },
        tsdocMessageReporting: { default: { logLevel: ExtractorLogLevel.None } },
      },
    },
    configObjectFullPath: undefined,
    packageJsonFullPath: join(root, 'package.json'),
  });

const check = process.argv.includes('--check');
let compilerState;
let changed = 0;
for (const entry of entries) {
  const config = configOf(entry);
  compilerState ??= CompilerState.create(config, { additionalEntryPoints: entries.map(([, file]) => file) });
  const { apiReportChanged, errorCount } = Extractor.invoke(config, {
    compilerState,
    localBuild: !check,
    messageCallback: (message) => {
      message.handled = message.logLevel !== ExtractorLogLevel.Error;
    },
  });
  if (apiReportChanged) changed++;
  if (errorCount > 0) process.exitCode = 1;
  if (apiReportChanged) console.log(`${check ? 'differs' : 'wrote'}  ${config.reportFilePath.slice(root.length + 1)}`);
}
if (check && changed > 0) {
  console.error('The public interface changed. Run `npm run api`, and commit what it writes with the change.');
  process.exitCode = 1;
}
