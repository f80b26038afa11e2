import type { SdpSource } from '../formats/recognise';
import { readSdp, type SdpAudio } from '../formats/sdp';
import { PLAIN_MODEL, type Model } from '../models/models-table';
import { formatAddress, isInBlock, parseAddress, parseCidr } from '../network/address';
import { formatKey } from '../streams/format';
import type { Command } from '../plan/commands';
import { freeName } from './free';
import type { PlanOf } from '../plan/plan';
import { freeId } from './propose-devices';
import { PLAIN_DEVICE } from '../plan/devices-table';
import type { GroupChoice } from '../streams/group-choices-table';
import type { Interface } from '../network/interfaces-table';
import type { StreamLayout } from '../streams/layouts-table';

export interface SdpItem {
  readonly name: string;
  readonly verdict: 'new' | 'known' | 'refused';
  /** The device that sends it: of the plan, or to be added. */
  readonly device: string | null;
  readonly audio: SdpAudio | null;
  /** Why it is refused, or what is odd about it. */
  readonly problem: string | null;
}

/**
 * Senders that only their SDP is known of, as devices of the plan: with the channels, format, addresses and groups that they
 * have, in the order in which the texts come. What they send is theirs: their streams are held and their patch is never
 * written. A sender whose address a device of the plan has is known already and left as it is.
 */
export function importSdp(
  plan: PlanOf<'settings' | 'subnets' | 'devices' | 'interfaces'>,
  sources: readonly SdpSource[],
): { items: SdpItem[]; commands: Command[] } {
  const holders = new Map<string, string>();
  for (const [deviceId, own] of plan.interfaces) {
    for (const { address } of own.values()) if (address !== null) holders.set(address, deviceId);
  }
  const senders = new Map<string, { audio: SdpAudio; itemAt: number }[]>();
  const seen = new Map<string, string>();
  const items = sources.map(({ name, text }, itemAt): SdpItem => {
    const { audio, problems } = readSdp(text);
    const told = problems.map((p) => `${p.line === null ? '' : `line ${p.line}: `}${p.problem}`).join('; ');
    const refused = (problem: string): SdpItem => ({ name, verdict: 'refused', device: null, audio, problem });
    if (audio === null) return refused(told === '' ? 'it cannot be read' : told);
    const written = audio.legs[0]?.sourceAddress ?? audio.origin.address;
    const address = parseAddress(written);
    if (address === null) return refused(`the sender’s address “${written}” is not an IPv4 address`);
    const from = formatAddress(address);
    const holder = holders.get(from);
    if (holder !== undefined) {
      const device = plan.devices.get(holder)?.name ?? holder;
      return { name, verdict: 'known', device, audio, problem: null };
    }
    const session = `${audio.origin.username} ${audio.origin.sessionId} ${audio.origin.address}`;
    const earlier = seen.get(session);
    if (earlier !== undefined) return refused(`same session as ${earlier}`);
    const first = senders.get(from)?.[0]?.audio;
    if (first !== undefined && formatKey(first.format) !== formatKey(audio.format)) {
      return refused(
        `${formatKey(audio.format)}, where its sender’s first stream is ${formatKey(first.format)}: one format each`,
      );
    }
    seen.set(session, name);
    senders.set(from, [...(senders.get(from) ?? []), { audio, itemAt }]);
    const port = audio.legs[0]?.port ?? plan.settings.rtpPort;
    const odd =
      port === plan.settings.rtpPort
        ? told
        : [`port ${port}, the plan uses ${plan.settings.rtpPort}`, told].filter(Boolean).join('; ');
    return { name, verdict: 'new', device: null, audio, problem: odd === '' ? null : odd };
  });

  const commands: Command[] = [];
  const ids = new Set<string>(plan.devices.keys());
  const names = new Set<string>();
  for (const [address, streams] of senders) {
    const name = freeName(
      plan,
      nameOf(
        streams.map((s) => s.audio.name),
        address,
      ),
      names,
    );
    names.add(name);
    const id = freeId(name, ids);
    ids.add(id);
    commands.push(
      ...senderCommands(
        plan,
        id,
        name,
        address,
        streams.map((s) => s.audio),
      ),
    );
    for (const { itemAt } of streams) items[itemAt] = { ...(items[itemAt] as SdpItem), device: name };
  }
  return { items, commands };
}

/** What the names of its sessions begin with, without `stream 3` or a lone number at the end. */
function nameOf(sessions: readonly string[], address: string): string {
  let start = sessions[0] ?? '';
  for (const s of sessions) while (!s.startsWith(start)) start = start.slice(0, -1);
  const name = start.replace(/[\s,·:-]*(stream\s*)?\d*\s*$/i, '').trim();
  return (name === '' || name === '-' ? `Sender at ${address}` : name).slice(0, 200);
}

function senderCommands(
  plan: PlanOf<'subnets'>,
  id: string,
  name: string,
  address: string,
  streams: readonly SdpAudio[],
): Command[] {
  const [first] = streams as [SdpAudio, ...SdpAudio[]];
  const { format } = first;
  const hasB = streams.some((s) => s.legs.length > 1);
  const channels = streams.reduce((sum, s) => sum + s.channels, 0);
  const widest = Math.max(...streams.map((s) => s.channels));
  const model: Model = {
    ...PLAIN_MODEL,
    id: `sdp-${id}`,
    name: `Sender of ${channels} channels, read from SDP`,
    kind: 'player',
    channelsReceive: 0,
    channelsSend: channels,
    streamsReceive: 0,
    streamsSend: streams.length,
    channelsPerStreamMax: widest,
    sends: {
      formats: [
        {
          encodings: [format.encoding],
          ratesHz: [format.rateHz],
          packetTimesUs: [format.packetTimeUs],
          channelsMax: widest,
        },
      ],
      levels: [],
    },
    receives: { formats: [], levels: [] },
    ratesHz: [format.rateHz],
    ports: (hasB ? (['A', 'B'] as const) : (['A'] as const)).map((role) => ({ name: role, role, bitsPerSecond: 1e9 })),
    linkOffsetMinNs: 0,
  };
  const onLeg = (leg: 'A' | 'B', text: string | null): Interface => {
    const own = text === null ? null : parseAddress(text);
    const holds = (cidr: string) => {
      const block = parseCidr(cidr);
      return block !== null && own !== null && isInBlock(own, block);
    };
    const subnet = [...plan.subnets.values()].find((s) => s.role === leg && holds(s.cidr));
    return { deviceId: id, name: leg, subnetId: subnet?.id ?? null, address: own === null ? null : formatAddress(own) };
  };
  const addressB = streams.map((s) => s.legs[1]?.sourceAddress ?? null).find((a) => a !== null) ?? null;
  const layouts: StreamLayout[] = [];
  const groups: GroupChoice[] = [];
  let next = 1;
  streams.forEach((audio, n) => {
    const own = Array.from({ length: audio.channels }, (_, k) => next + k);
    next += audio.channels;
    layouts.push({ senderDeviceId: id, streamNumber: n + 1, channels: own, format, isHeld: true });
    const [a, b] = audio.legs;
    groups.push({ senderDeviceId: id, streamNumber: n + 1, groupA: a?.group ?? null, groupB: b?.group ?? null });
  });
  return [
    { kind: 'put-model', model },
    {
      kind: 'add-device',
      device: {
        ...PLAIN_DEVICE,
        id,
        name,
        modelId: model.id,
        rateHz: format.rateHz,
        sendsEncoding: format.encoding,
        sendsPacketTimeUs: format.packetTimeUs,
        isPatchForeign: true,
      },
    },
    { kind: 'put-interface', interface: onLeg('A', address) },
    ...(hasB ? [{ kind: 'put-interface' as const, interface: onLeg('B', addressB) }] : []),
    { kind: 'lay-out-streams', put: layouts, drop: [] },
    ...groups.map((choice): Command => ({ kind: 'put-group-choice', choice })),
  ];
}
