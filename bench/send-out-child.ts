import { readFileSync } from 'node:fs';
import { Db } from '../apps/server/src/platform/db';
import { SendOutInput, sendOut } from '../apps/server/src/exchange/send-out.thread';

// One send-out in a separate process, to measure peak memory.
const { url, input } = JSON.parse(readFileSync(0, 'utf8')) as { url: string; input: SendOutInput };
const db = new Db(url, 2);
const began = performance.now();
const sent = await sendOut({ ...input, at: new Date(input.at) }, db);
const ms = performance.now() - began;
await db.close();
console.log(JSON.stringify({ ms, peak: process.resourceUsage().maxRSS / 1024, rows: sent.rows }));
