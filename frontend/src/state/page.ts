/** This page's own name: what the desk keeps between two requests belongs to the page that asked, not to all. */
export const PAGE = `${Date.now().toString(36)}${Math.random().toString(36).slice(2, 10)}`;
