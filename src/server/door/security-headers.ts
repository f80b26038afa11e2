/**
 * What every answer says to browsers. Scripts run only where they come from this server, or carry the number of this answer: a name or a
 * label that is taken for a script is not run. `unsafe-eval` stays, as the checks of files are compiled from their schemas.
 */
export function securityHeaders(nonce: string, isTls: boolean): Readonly<Record<string, string>> {
  const policy = [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'unsafe-eval'`,
    // Rows and bars are placed by styles of their own.
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ];
  return {
    'content-security-policy': policy.join('; '),
    'x-content-type-options': 'nosniff',
    'x-frame-options': 'DENY',
    'referrer-policy': 'same-origin',
    'cross-origin-opener-policy': 'same-origin',
    'cross-origin-resource-policy': 'same-origin',
    'permissions-policy': 'camera=(), microphone=(), geolocation=(), usb=(), serial=(), midi=()',
    ...(isTls ? { 'strict-transport-security': 'max-age=31536000' } : {}),
  };
}
