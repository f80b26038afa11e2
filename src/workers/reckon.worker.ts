import { expose } from 'comlink';
import { reckonDesk } from './reckon-desk';

expose(reckonDesk());
