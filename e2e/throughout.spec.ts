// What holds on every page, and leaves nothing behind: one start for all.
import './focus.stories';
import './strangers.stories';
