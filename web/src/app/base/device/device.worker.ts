import { cleanupOutdatedCaches, matchPrecache, precacheAndRoute, type PrecacheEntry } from 'workbox-precaching';
import { NavigationRoute, registerRoute } from 'workbox-routing';

/** The files of the application, written in by the build. */
declare const applicationFiles: (PrecacheEntry | string)[];
const worker = self as unknown as ServiceWorkerGlobalScope;

// Files of the application have their hash in their names; those of another version go.
precacheAndRoute(applicationFiles);
cleanupOutdatedCaches();

// A page comes from the server where that can be reached, with the nonce of its own; else it is the one that came with these files.
registerRoute(
  new NavigationRoute(
    async ({ request }) => {
      try {
        return await fetch(request);
      } catch (error) {
        const page = await matchPrecache('/device-page');
        if (page) return page;
        throw error;
      }
    },
    { denylist: [/^\/api\//] },
  ),
);

// Pictures and files of records that were taken along: only where the server cannot be reached, so that rights are asked for where they can be.
registerRoute(
  ({ url, request }) => url.pathname.startsWith('/api/') && (request.destination === 'image' || request.mode === 'navigate'),
  async ({ request }) => {
    try {
      return await fetch(request);
    } catch (error) {
      const held = await (await caches.open('cord-proof-files')).match(request.url);
      if (held) return held;
      throw error;
    }
  },
);

// Whoever takes records along takes them with the version that is here now.
worker.addEventListener('install', () => void worker.skipWaiting());
worker.addEventListener('activate', (event) => event.waitUntil(worker.clients.claim()));
