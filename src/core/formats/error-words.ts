/** What went wrong on a connection, for people. The codes are those of Node.js, OpenSSL and the HTTP client. */
const WORDS: Readonly<Record<string, string>> = {
  ECONNREFUSED: 'connection refused',
  ECONNRESET: 'connection closed by the other end',
  ECONNABORTED: 'connection closed',
  EPIPE: 'connection closed by the other end',
  UND_ERR_SOCKET: 'connection closed before the answer was complete',
  UND_ERR_CONNECT_TIMEOUT: 'no answer',
  UND_ERR_HEADERS_TIMEOUT: 'no answer',
  UND_ERR_BODY_TIMEOUT: 'the answer stopped half-way',
  UND_ERR_HEADERS_OVERFLOW: 'the header of the answer is too long',
  ETIMEDOUT: 'no answer',
  EHOSTUNREACH: 'no route to the host',
  EHOSTDOWN: 'the host is down',
  ENETUNREACH: 'no route to its network',
  ENETDOWN: 'the network is down',
  ENOTFOUND: 'the name is not known',
  EAI_AGAIN: 'the name server does not answer',
  EADDRINUSE: 'the port is in use by another program',
  EADDRNOTAVAIL: 'the address is not one of this server',
  EACCES: 'not permitted on this server',
  EPERM: 'not permitted on this server',
  EMFILE: 'too many open connections',
  CERT_HAS_EXPIRED: 'its certificate has expired',
  CERT_NOT_YET_VALID: 'its certificate is not valid yet',
  DEPTH_ZERO_SELF_SIGNED_CERT: 'its certificate is signed by itself',
  SELF_SIGNED_CERT_IN_CHAIN: 'its certificate is signed by nobody we trust',
  UNABLE_TO_VERIFY_LEAF_SIGNATURE: 'its certificate is signed by nobody we trust',
  UNABLE_TO_GET_ISSUER_CERT: 'its certificate is signed by nobody we trust',
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY: 'its certificate is signed by nobody we trust',
  ERR_TLS_CERT_ALTNAME_INVALID: 'its certificate is for another name',
};

/** Errors of the language itself say nothing to people: something was not as it should be. */
const RAW = new Set(['TypeError', 'RangeError', 'SyntaxError', 'ReferenceError']);

/** An error in words. @param error as it was thrown; its own words are kept where they are ours */
export function errorWords(error: unknown): string {
  const { code, name, message } = Object(error) as { code?: unknown; name?: unknown; message?: unknown };
  if (typeof code === 'string') {
    const words = WORDS[code];
    if (words !== undefined) return words;
    if (code.startsWith('HPE_')) return 'the answer is not HTTP';
    if (code.startsWith('ERR_SSL') || code.startsWith('EPROTO')) return 'no secure connection (TLS) could be made';
    if (/^[A-Z][A-Z0-9_]+$/.test(code)) return 'the connection failed';
  }
  if (typeof message !== 'string' || typeof name !== 'string') return 'something unexpected';
  return RAW.has(name) ? 'the answer cannot be read' : message;
}
