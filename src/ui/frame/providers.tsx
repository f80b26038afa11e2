'use client';

import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { ThemeProvider, useTheme } from 'next-themes';
import { NuqsAdapter } from 'nuqs/adapters/next/app';
import { useState, type ReactNode } from 'react';
import { Toaster } from 'sonner';

/** Themes follow the system (most turn dark after dusk) until the engineer chooses: tide is dark, chalk is light. */
export function Providers({ children, nonce }: { children: ReactNode; nonce?: string | undefined }) {
  const [client] = useState(() => new QueryClient({ defaultOptions: { queries: { retry: false } } }));
  return (
    <ThemeProvider
      attribute="data-theme"
      value={{ light: 'chalk', dark: 'tide' }}
      defaultTheme="system"
      enableSystem
      {...(nonce === undefined ? {} : { nonce })}
    >
      <QueryClientProvider client={client}>
        <NuqsAdapter>{children}</NuqsAdapter>
        <Messages />
      </QueryClientProvider>
    </ThemeProvider>
  );
}

function Messages() {
  const { resolvedTheme } = useTheme();
  return (
    <Toaster
      theme={resolvedTheme === 'dark' ? 'dark' : 'light'}
      position="bottom-center"
      // Above the preview bar and the totals.
      offset={84}
      style={{ fontFamily: 'inherit' }}
      toastOptions={{
        unstyled: true,
        classNames: {
          toast: 'flex items-center gap-3 w-[420px] rounded border border-edge bg-raise text-ink text-[13px] px-3 py-2',
          description: 'text-dim',
          actionButton: 'ml-auto shrink-0 rounded border border-edge px-2 py-0.5 whitespace-nowrap text-ink',
        },
      }}
    />
  );
}
