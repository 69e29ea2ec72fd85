// Finds a Chromium or Chrome, or installs Debian's package where that is possible. Node's own modules only.
import { spawnSync } from 'node:child_process';
import { accessSync, constants, readFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';

/** The same engine without windows: it takes two thirds of the time. */
const WINDOWLESS = 'chromium-headless-shell';
const names = [WINDOWLESS, 'chromium', 'chromium-browser', 'google-chrome', 'google-chrome-stable', 'chrome'];
const places = [
  '/usr/bin',
  '/usr/local/bin',
  '/snap/bin',
  '/opt/google/chrome',
  '/Applications/Chromium.app/Contents/MacOS',
  '/Applications/Google Chrome.app/Contents/MacOS',
  'C:\\Program Files\\Google\\Chrome\\Application',
];
const files = [...names, 'Chromium', 'Google Chrome', 'chrome.exe'];

const runs = (file) => {
  try {
    accessSync(file, constants.X_OK);
    return true;
  } catch {
    return false;
  }
};

/** The path of a browser: the environment variable FLOE_CHROMIUM, else the PATH, else the usual places. */
export function findChromium() {
  const given = process.env.FLOE_CHROMIUM;
  if (given) return runs(given) ? given : undefined;
  const folders = [...(process.env.PATH ?? '').split(delimiter), ...places];
  return files.flatMap((file) => folders.map((folder) => join(folder, file))).find(runs);
}

const onDebian = () => {
  try {
    return /^ID(_LIKE)?=.*debian/m.test(readFileSync('/etc/os-release', 'utf8'));
  } catch {
    return false;
  }
};

/** As `findChromium`, but on Debian as root installs the package first when there is none. Undefined when all fails. */
export function needChromium(tell) {
  const found = findChromium();
  if (found || process.env.FLOE_CHROMIUM) return found;
  if (!onDebian() || process.getuid?.() !== 0) return undefined;
  const apt = (...args) => {
    const { status, stderr } = spawnSync('apt-get', args, {
      encoding: 'utf8',
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
    if (status !== 0) tell(stderr);
    return status === 0;
  };
  const install = (name) => {
    tell(`Installing ${name} (Debian package), once ...`);
    return apt('install', '-y', '--no-install-recommends', name, 'fonts-liberation');
  };
  // Older releases have no package of the one without windows.
  return apt('update') && (install(WINDOWLESS) || install('chromium')) ? findChromium() : undefined;
}

/** How every test and picture starts the browser. */
export const launchOptions = (executablePath) => ({
  executablePath,
  headless: true,
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
