import { create } from 'zustand';

/** The dialogs that can be opened at every stage; one at a time. */
type FrameDialog = 'find' | 'history' | 'findings' | 'field' | 'places' | 'take-over';

export const useFrameDialog = create<{ readonly open: FrameDialog | null }>(() => ({ open: null }));

export const openDialog = (open: FrameDialog): void => useFrameDialog.setState({ open });
export const closeDialog = (): void => useFrameDialog.setState({ open: null });
