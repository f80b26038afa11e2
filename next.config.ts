import type { NextConfig } from 'next';

const config: NextConfig = {
  turbopack: { root: import.meta.dirname },
  agentRules: false,
  poweredByHeader: false,
  serverExternalPackages: ['better-sqlite3', 'pino', 'ws'],
  devIndicators: false,
  // Nothing is fetched for anyone to make pictures of.
  images: { unoptimized: true },
};

export default config;
