import { commandsOfItems, importDevicePatches, importSockets, type SignalItem } from '@/core/edits/import-signals';
import {
  DEVICE_PATCH_MAX_BYTES,
  DEVICE_PATCH_WORDS,
  readDevicePatchList,
  writeDevicePatchList,
} from '@/core/formats/device-patch-list';
import { readSocketList, SOCKET_LIST_MAX_BYTES, SOCKET_WORDS, writeSocketList } from '@/core/formats/socket-list';
import { saveText } from '@/ui/parts/save-text';
import type { ImportProps } from './asked';
import { listKind, ListDialog } from './list-dialog';

const withCommands = (items: readonly SignalItem[]) => ({ items, commands: commandsOfItems(items) });
const whereOf = ({ where }: SignalItem) => where;

const INPUT_LIST = listKind({
  kind: 'socket-list',
  words: SOCKET_WORDS,
  read: readSocketList,
  bytesMax: SOCKET_LIST_MAX_BYTES,
  title: 'Import an input list',
  label: 'Input list',
  hint: 'One line for each socket or channel. Only the first three columns are required; empty cells change nothing.',
  hold: (plan, rows) => withCommands(importSockets(plan, rows)),
  whereOf,
  save: (plan) => saveText('input-list.csv', 'text/csv', writeSocketList(plan)),
});

const DEVICE_PATCHES = listKind({
  kind: 'device-patch',
  words: DEVICE_PATCH_WORDS,
  read: readDevicePatchList,
  bytesMax: DEVICE_PATCH_MAX_BYTES,
  title: 'Import device patches',
  label: 'List of device patches',
  hint: 'One line for each channel that is patched, and for each send to a bus (on or off). An empty “from” feeds the channel from nothing.',
  hold: (plan, rows) => withCommands(importDevicePatches(plan, rows)),
  whereOf,
  save: (plan) => saveText('device-patches.csv', 'text/csv', writeDevicePatchList(plan)),
});

/** An input list taken in: what is plugged into which socket, and how it is set. */
export const SocketListDialog = (props: ImportProps) => <ListDialog kind={INPUT_LIST} {...props} />;

/** Device patches taken in: patches and sends, line by line. */
export const DevicePatchDialog = (props: ImportProps) => <ListDialog kind={DEVICE_PATCHES} {...props} />;
