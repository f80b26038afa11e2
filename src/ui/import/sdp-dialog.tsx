import { useMemo, useState } from 'react';
import { recogniseSdp, IMPORT_MAX_BYTES, type Recognised, type SdpSource } from '@/core/formats/recognise';
import { importSdp, type SdpItem } from '@/core/edits/import-sdp';
import type { SessionInField } from '@/field/live/network-topics';
import { Age } from '@/ui/parts/age';
import { Button, Modal } from '@/ui/parts/controls';
import { LeaveOrPreview, LookedAt } from '@/ui/parts/looked-at';
import type { ImportProps } from './asked';
import { FileDrop } from './file-drop';
import { TableProblems } from './table-problems';
import { count, kHz, packetTime } from '@/ui/parts/units';
import { previewBatch } from '@/ui/session/actions';
import { usePlan, planNow } from '@/ui/session/plan-store';

const FILES_MAX = 500;

interface Looked {
  readonly sources: readonly SdpSource[];
  readonly unread: readonly string[];
}

/** All descriptions of what was recognised, and what was none. */
function lookedAt(found: readonly Recognised[]): Looked {
  return {
    sources: found.flatMap((f) => (f.kind === 'sdp' ? f.sources : [])),
    unread: found.flatMap((f) =>
      f.kind === 'sdp'
        ? f.unread.map((u) => `${f.name}, ${u.name}: ${u.problem}`)
        : [`${f.name}: ${f.kind === 'unknown' ? f.problem : 'it is not a session description'}`],
    ),
  };
}

/** SDP of senders that are not in the plan, from files, archives or announcements: held against it, nothing applied before yes. */
export function SdpDialog({ plan, found, onClose }: ImportProps) {
  const [{ sources, unread }, setLooked] = useState<Looked>(() =>
    found.length > 0 ? lookedAt(found) : { sources: sourcesOf([...planNow().field.sessions.values()]), unread: [] },
  );
  const { items, commands } = useMemo(() => importSdp(plan, sources), [plan, sources]);
  const added = new Set(items.flatMap((i) => (i.verdict === 'new' ? [i.device] : [])));
  const read = async (list: readonly File[]) => {
    const recognised: Recognised[] = [];
    for (const file of list.slice(0, FILES_MAX)) {
      const bytes = file.size > IMPORT_MAX_BYTES ? null : new Uint8Array(await file.arrayBuffer());
      recognised.push(
        bytes === null
          ? { kind: 'unknown', name: file.name, problem: 'the file is too large' }
          : recogniseSdp(file.name, bytes),
      );
    }
    const looked = lookedAt(recognised);
    const beyond = list.length > FILES_MAX ? [`only the first ${FILES_MAX} of ${list.length} files are read`] : [];
    setLooked({ ...looked, unread: [...looked.unread, ...beyond] });
  };
  return (
    <Modal title="Import senders from SDP or announcements" onClose={onClose} wide>
      <div className="flex flex-col gap-3">
        <FileDrop
          words="Drop files here, or choose them:"
          label="SDP files"
          accept=".sdp,.txt,.zip,application/sdp,text/plain,application/zip"
          isMany
          onFiles={(files) => void read(files)}
        >
          One by one, or as a zip. A sender that is not in the plan becomes a device with the channels, format and
          groups of its files. Its streams are locked and its patch is read-only.
        </FileDrop>
        <Announced onLook={(announced) => setLooked({ sources: announced, unread: [] })} />
        <TableProblems problems={unread.map((problem) => ({ line: 0, problem }))} />
        {items.length > 0 ? (
          <LookedAt label="What would be imported" columns={['From', 'Sender', 'Stream', 'Group']}>
            {items.map((item, n) => (
              <Line key={n} item={item} />
            ))}
          </LookedAt>
        ) : null}
        <LeaveOrPreview
          words={count(added.size, 'new sender')}
          isPossible={commands.length > 0}
          onLeave={onClose}
          onPreview={() => {
            onClose();
            void previewBatch(`import ${count(added.size, 'sender')} from SDP`, commands);
          }}
        />
      </div>
    </Modal>
  );
}

/** What is announced on the network, to be looked at as files are. */
function Announced({ onLook }: { onLook: (sources: readonly SdpSource[]) => void }) {
  const places = [...usePlan((s) => s.field.announcementPlaces).values()];
  const sessions = [...usePlan((s) => s.field.sessions).values()];
  if (places.length === 0) {
    return (
      <p className="text-[12px] text-dim">
        Announcements (SAP) are not received: choose an adapter in Device discovery.
      </p>
    );
  }
  const broken = places.filter((p) => p.problem !== null);
  const last = Math.max(...sessions.map((s) => s.lastHeardAt));
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button disabled={sessions.length === 0} onClick={() => onLook(sourcesOf(sessions))}>
        Show announcements
      </Button>
      <span className="text-dim">
        {sessions.length === 0 ? (
          'Nothing is announced (SAP, RTSP) yet.'
        ) : (
          <>
            {count(sessions.length, 'session')} announced (SAP, RTSP), the last one <Age at={last} what="" />
          </>
        )}
      </span>
      {places.map((p) =>
        p.unread === 0 ? null : (
          <span key={p.address} className="text-dim">
            {count(p.unread, 'datagram')} at {p.address} could not be read, the last: {p.lastUnread}.
          </span>
        ),
      )}
      {broken.map((p) => (
        <span key={p.address} role="alert" className="text-madder">
          {p.address}: cannot listen, {p.problem}
        </span>
      ))}
    </div>
  );
}

function sourcesOf(sessions: readonly SessionInField[]): SdpSource[] {
  return sessions
    .map(({ origin, sdp }) => ({ name: `announced by ${origin}`, text: sdp }))
    .sort((a, b) => (a.name < b.name ? -1 : 1));
}

function Line({ item }: { item: SdpItem }) {
  const { audio, verdict } = item;
  return (
    <tr className="border-t border-line/60 align-top">
      <td className="max-w-[160px] truncate pr-2" title={item.name}>
        {item.name}
      </td>
      {verdict === 'refused' || audio === null ? (
        <td colSpan={3} className="text-madder">
          {item.problem}
        </td>
      ) : (
        <>
          <td className="pr-2">
            {item.device}{' '}
            <span className={verdict === 'new' ? 'text-jade' : 'text-dim'}>
              {verdict === 'new' ? 'new' : 'in the plan already'}
            </span>
            {item.problem === null ? null : <span className="block text-[12px] text-ochre">{item.problem}</span>}
          </td>
          <td className="pr-2 font-mono text-[12px]">
            {audio.channels} × {audio.format.encoding} {kHz(audio.format.rateHz)} kHz,{' '}
            {packetTime(audio.format.packetTimeUs)}
          </td>
          <td className="font-mono text-[12px]">
            {audio.legs.map((l) => (
              <span key={l.group} className="block">
                {l.group}
              </span>
            ))}
          </td>
        </>
      )}
    </tr>
  );
}
