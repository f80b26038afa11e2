import { shapeProblem } from '../../core/formats/shape-check';
import { channel, id, list, record } from '../../core/plan/shape';
import { IsAsDeclared, placeIn } from './as-declared';

/** So many channels are sent at once. */
const CHANNELS_MAX = 20_000;
const channels = list(record({ deviceId: id, channel }), CHANNELS_MAX, 1);

/** The value is a list of receiver channels, each with its device. */
export const IsChannelList = () =>
  IsAsDeclared('isChannelList', (value) => {
    const problem = shapeProblem(channels, value);
    return problem && `${placeIn(problem)} ${problem.problem}`;
  });
