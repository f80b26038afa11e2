import pino, { type Logger } from 'pino';
import { settings } from './settings';

/**
 * The log, as lines of JSON: to a file that is begun again when it is large, of which some older ones are kept, and on the console.
 * The front door and the application are bundled apart and write to the same one, so it is kept on globalThis.
 */
const holder = globalThis as typeof globalThis & { jadeLaneLog?: Logger };

const FILE_SIZE = '10m';
const OLDER_FILES = 9;
/** A file that could not be written is tried again after so long. */
const AGAIN_AFTER_MS = 60_000;
/** What is shown on the console is short: it is for whoever starts the server. */
const CONSOLE_LEVEL = 'error';

function open(): Logger {
  const { logLevel, logFile } = settings();
  const options = { name: 'jade-lane', level: logLevel };
  if (logLevel === 'silent' || logFile === null) return pino(options, pino.destination(2));
  const transport = pino.transport({
    targets: [
      {
        target: 'pino-roll',
        level: logLevel,
        options: { file: logFile, extension: '.log', size: FILE_SIZE, mkdir: true, limit: { count: OLDER_FILES } },
      },
      { target: 'pino/file', level: CONSOLE_LEVEL, options: { destination: 2 } },
    ],
  }) as NodeJS.EventEmitter;
  const log = pino(options, transport as unknown as pino.DestinationStream);
  // A log that cannot be written must not stop what it is a log of.
  transport.on('error', (error: Error) => {
    console.error(`Jade Lane: the log ${logFile} cannot be written (${error.message}). It goes on on the console.`);
    holder.jadeLaneLog = pino(options, pino.destination(2));
    setTimeout(() => delete holder.jadeLaneLog, AGAIN_AFTER_MS).unref();
  });
  return log;
}

type Level = 'debug' | 'info' | 'warn' | 'error';
const at =
  (level: Level) =>
  (fields: object, message: string): void => {
    (holder.jadeLaneLog ??= open())[level](fields, message);
  };

export const logger = { debug: at('debug'), info: at('info'), warn: at('warn'), error: at('error') };
