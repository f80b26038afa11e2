/** Where Next.js would go: tests of components look at what was asked for. */
export const visited: string[] = [];
let path = '/';

export function setPath(to: string): void {
  path = to;
}

export const useRouter = () => ({
  push: (href: string) => void visited.push(href),
  replace: (href: string) => void visited.push(href),
  prefetch: () => undefined,
});
export const usePathname = () => path;
export const useSearchParams = () => new URLSearchParams();
