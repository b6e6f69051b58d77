import type { Server } from 'node:http';
import { serve } from '@hono/node-server';

/** A practice app that is listening. */
export interface Listening {
  readonly url: string;
  close(): Promise<void>;
}

/**
 * Serves an app on the loopback address. Port 0 takes a free one.
 * @throws Error with a sentence when the port is in use
 */
export function listen(
  app: { readonly fetch: Parameters<typeof serve>[0]['fetch'] },
  port: number,
): Promise<Listening> {
  return new Promise((resolve, reject) => {
    const server = serve({ fetch: app.fetch, port, hostname: '127.0.0.1' }, (info) => {
      resolve({ url: `http://127.0.0.1:${info.port}`, close: () => closeServer(server as Server) });
    });
    server.on('error', (error: NodeJS.ErrnoException) => {
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(`Port ${port} is in use. End the program that uses it, or choose another port.`)
          : error,
      );
    });
  });
}

function closeServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve());
    server.closeAllConnections();
  });
}
