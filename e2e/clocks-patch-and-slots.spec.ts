// A start of the whole product takes as long as several stories: these do not disturb one another, and share one.
import './clocks.stories';
import './patch.stories';
import './slots.stories';
