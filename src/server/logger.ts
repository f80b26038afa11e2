import pino from 'pino';

export const logger = pino({ name: 'jade-lane', level: process.env['JADE_LOG'] ?? 'info' });
