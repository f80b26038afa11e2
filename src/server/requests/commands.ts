import 'reflect-metadata';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateNested,
} from 'class-validator';
import type { Command } from '../../core/plan/commands';
import {
  LABEL_MAX,
  SIDES,
  type ClockGroup,
  type ClockSettings,
  type Device,
  type GroupChoice,
  type StreamLayout,
  type Interface,
  type Link,
  type Model,
  type Place,
  type PlanSettings,
  type Reference,
  type SlotBus,
  type SlotUnit,
  type Subnet,
  type SwitchSettings,
} from '../../core/plan/records';
import { IsPartOfRecordOf, IsRecordOf, IsListOfRecordsOf } from './record-check';

/** What browsers may ask for, command by command. The shapes are those of core/plan/commands.ts. */

const ID = /^[A-Za-z0-9._:-]{1,80}$/;
const IsId = () => Matches(ID, { message: '$property is not an id' });
const CHANNEL_MAX = 4096;

/** `keep-sent-streams` is missing on purpose: only the server says what was sent. */
type Sent = Exclude<Command['kind'], 'keep-sent-streams'>;
const COMMAND_KINDS: readonly Sent[] = [
  'change-settings',
  'put-place',
  'remove-place',
  'put-subnet',
  'remove-subnet',
  'put-model',
  'put-link',
  'remove-link',
  'put-switch',
  'put-clock',
  'put-reference',
  'remove-reference',
  'put-clock-group',
  'remove-clock-group',
  'put-slot-bus',
  'remove-slot-bus',
  'put-slot-unit',
  'remove-slot-unit',
  'put-group-choice',
  'remove-group-choice',
  'lay-out-streams',
  'add-device',
  'change-device',
  'remove-device',
  'put-interface',
  'remove-interface',
  'label-channels',
  'subscribe',
  'unsubscribe',
];

export class CommandRequest {
  @IsIn(COMMAND_KINDS, { message: `kind is not one of ${COMMAND_KINDS.join(', ')}` }) kind: string;
}

class ChangeSettings extends CommandRequest {
  @IsPartOfRecordOf('settings') settings: Partial<Omit<PlanSettings, 'id'>>;
}
class PutPlace extends CommandRequest {
  @IsRecordOf('places') place: Place;
}
class RemovePlace extends CommandRequest {
  @IsId() placeId: string;
}
class PutSubnet extends CommandRequest {
  @IsRecordOf('subnets') subnet: Subnet;
}
class RemoveSubnet extends CommandRequest {
  @IsId() subnetId: string;
}
class PutModel extends CommandRequest {
  @IsRecordOf('models') model: Model;
}
class PutLink extends CommandRequest {
  @IsRecordOf('links') link: Link;
}
class RemoveLink extends CommandRequest {
  @IsId() linkId: string;
}
class PutSwitch extends CommandRequest {
  @IsRecordOf('switches') settings: SwitchSettings;
}
class PutClock extends CommandRequest {
  @IsRecordOf('clocks') settings: ClockSettings;
}
class PutReference extends CommandRequest {
  @IsRecordOf('references') reference: Reference;
}
class RemoveReference extends CommandRequest {
  @IsId() referenceId: string;
}
class PutClockGroup extends CommandRequest {
  @IsRecordOf('clockGroups') group: ClockGroup;
}
class RemoveClockGroup extends CommandRequest {
  @IsId() groupId: string;
}
class PutSlotBus extends CommandRequest {
  @IsRecordOf('slotBuses') bus: SlotBus;
}
class RemoveSlotBus extends CommandRequest {
  @IsId() busId: string;
}
class PutSlotUnit extends CommandRequest {
  @IsRecordOf('slotUnits') unit: SlotUnit;
}
class RemoveSlotUnit extends CommandRequest {
  @IsId() deviceId: string;
}
class PutGroupChoice extends CommandRequest {
  @IsRecordOf('groupChoices') choice: GroupChoice;
}
class RemoveGroupChoice extends CommandRequest {
  @IsId() senderDeviceId: string;
  @IsInt() @Min(1) @Max(CHANNEL_MAX) slot: number;
}
class StreamKeyRequest {
  @IsId() senderDeviceId: string;
  @IsInt() @Min(1) @Max(CHANNEL_MAX) slot: number;
}
class LayOutStreams extends CommandRequest {
  @ArrayMaxSize(20_000)
  @IsListOfRecordsOf('layouts')
  put: StreamLayout[];
  @IsArray()
  @ArrayMaxSize(20_000)
  @ValidateNested({ each: true })
  @Type(() => StreamKeyRequest)
  drop: StreamKeyRequest[];
}
class AddDevice extends CommandRequest {
  @IsRecordOf('devices') device: Device;
}
class ChangeDevice extends CommandRequest {
  @IsId() deviceId: string;
  @IsPartOfRecordOf('devices') change: Partial<Omit<Device, 'id'>>;
}
class RemoveDevice extends CommandRequest {
  @IsId() deviceId: string;
}
class PutInterface extends CommandRequest {
  @IsRecordOf('interfaces') interface: Interface;
}
class RemoveInterface extends CommandRequest {
  @IsId() deviceId: string;
  @IsString() @MaxLength(80) name: string;
}
class LabelRequest {
  @IsInt() @Min(1) @Max(CHANNEL_MAX) channel: number;
  @IsOptional() @IsString() @MaxLength(LABEL_MAX) label: string | null;
  @IsOptional() @IsString() @MaxLength(LABEL_MAX) short?: string | null;
}
class LabelChannels extends CommandRequest {
  @IsId() deviceId: string;
  @IsIn(SIDES) side: (typeof SIDES)[number];
  @IsArray()
  @ArrayMaxSize(CHANNEL_MAX)
  @ValidateNested({ each: true })
  @Type(() => LabelRequest)
  labels: LabelRequest[];
}
class SubscriptionRequest {
  @IsId() receiverDeviceId: string;
  @IsInt() @Min(1) @Max(CHANNEL_MAX) receiverChannel: number;
  @IsId() senderDeviceId: string;
  @IsInt() @Min(1) @Max(CHANNEL_MAX) senderChannel: number;
}
class Subscribe extends CommandRequest {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(20_000)
  @ValidateNested({ each: true })
  @Type(() => SubscriptionRequest)
  subscriptions: SubscriptionRequest[];
}
export class ChannelRequest {
  @IsId() deviceId: string;
  @IsInt() @Min(1) @Max(CHANNEL_MAX) channel: number;
}
class Unsubscribe extends CommandRequest {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(20_000)
  @ValidateNested({ each: true })
  @Type(() => ChannelRequest)
  channels: ChannelRequest[];
}

const CLASS_BY_KIND: Readonly<Record<Sent, new () => CommandRequest>> = {
  'change-settings': ChangeSettings,
  'put-place': PutPlace,
  'remove-place': RemovePlace,
  'put-subnet': PutSubnet,
  'remove-subnet': RemoveSubnet,
  'put-model': PutModel,
  'put-link': PutLink,
  'remove-link': RemoveLink,
  'put-switch': PutSwitch,
  'put-clock': PutClock,
  'put-reference': PutReference,
  'remove-reference': RemoveReference,
  'put-clock-group': PutClockGroup,
  'remove-clock-group': RemoveClockGroup,
  'put-slot-bus': PutSlotBus,
  'remove-slot-bus': RemoveSlotBus,
  'put-slot-unit': PutSlotUnit,
  'remove-slot-unit': RemoveSlotUnit,
  'put-group-choice': PutGroupChoice,
  'remove-group-choice': RemoveGroupChoice,
  'lay-out-streams': LayOutStreams,
  'add-device': AddDevice,
  'change-device': ChangeDevice,
  'remove-device': RemoveDevice,
  'put-interface': PutInterface,
  'remove-interface': RemoveInterface,
  'label-channels': LabelChannels,
  subscribe: Subscribe,
  unsubscribe: Unsubscribe,
};

export const commandTypes = {
  keepDiscriminatorProperty: true,
  discriminator: {
    property: 'kind',
    subTypes: Object.entries(CLASS_BY_KIND).map(([name, value]) => ({ name, value })),
  },
};
