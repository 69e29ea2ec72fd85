// `node bench/indexed-db-parts.mjs`: what reading 9 MB from IndexedDB costs in Chromium, as one text, as a Blob and in pieces, and
// what `JSON.parse` of it costs there; medians, in milliseconds.
import { chromium } from 'playwright-core';
import { findChromium, launchOptions } from '../scripts/chromium.mjs';
const browser = await chromium.launch(launchOptions(findChromium()));
const page = await browser.newPage();
await page.route('http://bench.localhost/**', (r) => r.fulfill({ contentType: 'text/html', body: '<!doctype html>' }));
await page.goto('http://bench.localhost/');
const found = await page.evaluate(async () => {
  const { indexedDB, IDBKeyRange, Blob } = globalThis;
  const answer = (request) =>
    new Promise((resolve, reject) => {
      request.onsuccess = () => resolve(request.result);
      request.onerror = () => reject(request.error);
    });
  const opening = indexedDB.open('parts', 1);
  opening.onupgradeneeded = () => opening.result.createObjectStore('texts');
  const database = await answer(opening);
  const texts = () => database.transaction('texts').objectStore('texts');
  const put = (entries) => {
    const transaction = database.transaction('texts', 'readwrite');
    for (const [key, value] of entries) transaction.objectStore('texts').put(value, key);
    return new Promise((resolve) => (transaction.oncomplete = resolve));
  };
  const visit = (i) => ({
    id: `v${i}`,
    phase: 'expected',
    arrives: '2031-03-10T00:15:00Z',
    remarks: `Shore power wanted, crew change at the outer quay, visit ${i}. `.repeat(2),
  });
  const text = JSON.stringify({ list: Array.from({ length: 40_000 }, (_, i) => visit(i)) });
  const median = async (work) => {
    const times = [];
    for (let i = 0; i < 11; i++) {
      const began = performance.now();
      await work();
      times.push(performance.now() - began);
    }
    return Number(times.sort((a, b) => a - b)[5].toFixed(1));
  };
  await put([
    ['text', text],
    ['blob', new Blob([text])],
  ]);
  const result = {
    parse: await median(() => JSON.parse(text)),
    text: await median(() => answer(texts().get('text'))),
    blob: await median(async () => (await answer(texts().get('blob'))).text()),
  };
  for (const size of [8_000, 60_000, 1_000_000]) {
    const pieces = [];
    for (let at = 0; at < text.length; at += size) pieces.push([['piece', size, at], text.slice(at, at + size)]);
    await put(pieces);
    const range = IDBKeyRange.bound(['piece', size, 0], ['piece', size, text.length]);
    result[`pieces of ${size}`] = await median(async () => (await answer(texts().getAll(range))).join(''));
  }
  return result;
});
console.log(found);
await browser.close();
