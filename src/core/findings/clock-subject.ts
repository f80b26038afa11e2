import type { IntervalField } from '../clocks/profiles';
import type { ReferenceProblem } from '../clocks/reference-state';

/** What is wrong with who keeps time, and with what samples are paced by. */
export type ClockSubject =
  | {
      readonly about: 'two-grandmasters';
      readonly domainNumber: number;
      /** The one with more followers first. */
      readonly grandmasterIds: readonly [string, string];
      /** Subnets in which the second one is followed. */
      readonly subnetIds: readonly string[];
      /** Both have the same second from GNSS: no harm but that nobody decided it. */
      readonly areSynchronous: boolean;
    }
  | { readonly about: 'clock-tie'; readonly winnerId: string; readonly isIdentityKnown: boolean }
  | { readonly about: 'priorities-default'; readonly count: number; readonly winnerId: string }
  | {
      readonly about: 'leader-only-follows';
      readonly priority1: number;
      readonly canLead: boolean;
      readonly ignoresId: string | null;
    }
  | { readonly about: 'battery-grandmaster'; readonly followers: number }
  | {
      readonly about: 'subnet-no-time';
      readonly subnetId: string;
      readonly devices: number;
      /** False: no clock of the whole plan is followed by anyone, so that there is no time to pass in. */
      readonly isTimeElsewhere: boolean;
    }
  | { readonly about: 'relay-no-spare'; readonly subnetId: string; readonly relayId: string; readonly devices: number }
  /** A switch without PTP, in which clock messages wait behind others or for a link that sleeps. */
  | {
      readonly about: 'time-through-switch';
      readonly switchId: string;
      readonly devices: number;
      readonly sharesQueue: boolean;
      readonly savesEnergy: boolean;
    }
  | { readonly about: 'relay-unreachable'; readonly relayId: string; readonly masterId: string }
  | { readonly about: 'profile-unmet'; readonly leaderId: string }
  | {
      readonly about: 'intervals-differ';
      readonly leaderId: string;
      readonly field: IntervalField;
      readonly leaderValue: number;
      readonly values: readonly number[];
    }
  | {
      readonly about: 'domains-differ';
      readonly subnetId: string;
      readonly domainNumber: number;
      readonly usualDomain: number;
    }
  | {
      readonly about: 'reference-missing';
      readonly leads: boolean;
      readonly tried: readonly { readonly referenceId: string; readonly problem: ReferenceProblem }[];
      /** What it does without, by its model. */
      readonly state: 'hold-over' | 'free' | 'stopped' | 'reference';
    }
  | {
      readonly about: 'reference-rate';
      readonly referenceId: string;
      readonly referenceRateHz: number;
      readonly wantedRateHz: number;
    }
  | {
      readonly about: 'rate-not-of-group';
      readonly groupId: string;
      readonly groupRateHz: number;
      readonly rateHz: number;
    }
  | { readonly about: 'group-no-authority'; readonly groupId: string; readonly members: number }
  | {
      readonly about: 'free-running';
      /** Every sender and receiver with lanes between them whose clocks slip against each other. */
      readonly pairs: readonly { readonly senderId: string; readonly receiverId: string; readonly lanes: number }[];
      readonly partsPerMillion: number;
      readonly rateHz: number;
      readonly slipSeconds: number;
      readonly isStopped: boolean;
    }
  | {
      readonly about: 'free-running-sides';
      readonly groupId: string;
      readonly partsPerMillion: number;
      readonly rateHz: number;
      readonly slipSeconds: number;
    }
  | {
      readonly about: 'grandmaster-no-spare';
      /** Both legs hang on it. */
      readonly isOnBothLegs: boolean;
      /** Who would lead by chance; null where nobody may. */
      readonly nextId: string | null;
      readonly devicesWithoutTime: number;
    }
  | { readonly about: 'version-1-alone'; readonly subnetId: string }
  | {
      readonly about: 'field-grandmaster';
      readonly plannedId: string;
      /** Sixteen hexadecimal digits. */
      readonly foundGmid: string;
      /** The device of the plan with that identity. */
      readonly foundId: string | null;
    }
  | {
      readonly about: 'field-two-grandmasters';
      /** Most followed first. */
      readonly masters: readonly {
        readonly gmid: string;
        readonly deviceId: string | null;
        readonly devices: number;
      }[];
    };
