import { LcovReader } from '@core/measure';
import { lcovBytes } from './lcov-text';

// A process of its own, so that its peak is this reading’s alone: 1 GiB of LCOV as a stream of 64 KiB chunks.
const bytes = lcovBytes(1);
const chunk = 64 << 10;
const reader = new LcovReader(() => undefined);
for (let sent = 0; sent < 1 << 30; sent += bytes.length)
  for (let at = 0; at < bytes.length; at += chunk) reader.push(bytes.subarray(at, at + chunk));
reader.finish();
process.stdout.write(String(Math.round(process.resourceUsage().maxRSS / 1024)));
