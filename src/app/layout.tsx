import type { Metadata } from 'next';
import { headers } from 'next/headers';
import '@fontsource/hanken-grotesk/400.css';
import '@fontsource/hanken-grotesk/500.css';
import '@fontsource/hanken-grotesk/600.css';
import '@fontsource/jetbrains-mono/400.css';
import './globals.css';
import { Providers } from '@/ui/frame/providers';

export const metadata: Metadata = {
  title: { default: 'Jade Lane', template: '%s · Jade Lane' },
  description: 'Plan, prove and run media-over-IP subscriptions',
};

export default async function RootLayout({ children }: { children: React.ReactNode }) {
  // Scripts of this page carry the number that the front door gave to this answer; others are not run.
  const nonce = (await headers()).get('x-nonce') ?? undefined;
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Providers nonce={nonce}>{children}</Providers>
      </body>
    </html>
  );
}
