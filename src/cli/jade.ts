import { jade } from './verbs';

process.stdout.on('error', () => process.exit(0)); // the reader of a pipe went away

const { status, stdout, stderr } = jade(process.argv.slice(2));
process.stdout.write(stdout);
process.stderr.write(stderr);
process.exitCode = status;
