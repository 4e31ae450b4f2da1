import { run } from './rule';

process.exitCode = await run(
  process.argv.slice(2),
  process.env,
  (text) => void process.stdout.write(text),
  (text) => void process.stderr.write(text),
);
