/** What the file type of an item is called. Source: RFC 6838, section 3.2. */
export const ITEM_TYPE = "application/vnd.eremos.item";
/** How every item begins: what follows tells nothing either. */
export const ITEM_BEGINS = "Eremos item 1\n";
/** By which name the desktop's bus knows Eremos: that of its address, turned around. */
export const APPLICATION = "localhost.eremos.Eremos";
