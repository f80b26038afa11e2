import type { Metadata } from 'next';
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

export default function RootLayout({ children }: { children: React.ReactNode }) {
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Providers>{children}</Providers>
      </body>
    </html>
  );
}
