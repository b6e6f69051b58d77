/** When each part of a ZIP file was made, as it tells: the same for all, so that the same values give the same bytes (the first day that ZIP can tell). */
export const fixedDate = new Date(Date.UTC(1980, 0, 1));
