import type { Server } from 'node:http';
import type { Socket } from 'node:net';

interface ConnectionLimits {
  readonly all: number;
  /** Of one address. */
  readonly perAddress: number;
}

interface Connection {
  readonly socket: Socket;
  /** Kept here, as a socket that is closed has none. */
  readonly address: string;
}

const keyOf = (socket: Socket): string => `${socket.remoteAddress ?? ''} ${socket.remotePort ?? 0}`;

/**
 * Bounds the connections of a server, of one address and in all. Whoever asks nothing makes room: where there is no place left for a new
 * connection, the one that has been quiet for longest is closed for it. Only where every connection is being answered is the new one closed.
 */
export function boundConnections(server: Server, { all, perAddress }: ConnectionLimits): void {
  const open = new Map<string, Connection>();
  /** Those that ask nothing now, the longest quiet first. */
  const quiet = new Map<string, Connection>();
  const ofAddress = new Map<string, number>();

  const makeRoom = (address: string): boolean => {
    const isAddressFull = (ofAddress.get(address) ?? 0) >= perAddress;
    if (!isAddressFull && open.size < all) return true;
    for (const [key, connection] of quiet) {
      if (isAddressFull && connection.address !== address) continue;
      leave(key, connection);
      connection.socket.destroy();
      return true;
    }
    return false;
  };
  const leave = (key: string, { address }: Connection) => {
    if (!open.delete(key)) return;
    quiet.delete(key);
    const left = (ofAddress.get(address) ?? 1) - 1;
    if (left > 0) ofAddress.set(address, left);
    else ofAddress.delete(address);
  };

  server.on('connection', (socket: Socket) => {
    const address = socket.remoteAddress;
    if (address === undefined || !makeRoom(address)) return void socket.destroy();
    const key = keyOf(socket);
    const connection = { socket, address };
    open.set(key, connection);
    quiet.set(key, connection);
    ofAddress.set(address, (ofAddress.get(address) ?? 0) + 1);
    socket.once('close', () => leave(key, connection));
  });
  server.on('request', (request, response) => {
    // By address and port: with TLS the request has another socket than the connection.
    const key = keyOf(request.socket);
    quiet.delete(key);
    response.once('close', () => {
      const connection = open.get(key);
      if (connection !== undefined) quiet.set(key, connection);
    });
  });
}
