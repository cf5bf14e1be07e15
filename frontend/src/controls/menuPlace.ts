/** Where a menu opens: below its button, or above where there is more room, never out of the window. */

const GAP = 4;
const EDGE = 8;
/** Menus of less than this would have to be scrolled item by item. */
const LEAST_BELOW = 260;

interface Box {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

export function menuPlace(button: Box, align: "left" | "right", window: { innerWidth: number; innerHeight: number }) {
  const below = window.innerHeight - button.bottom - GAP - EDGE;
  const above = button.top - GAP - EDGE;
  const across =
    align === "left" ? { left: `${Math.round(button.left)}px` } : { right: `${Math.round(window.innerWidth - button.right)}px` };
  if (below >= LEAST_BELOW || below >= above)
    return { ...across, top: `${Math.round(button.bottom + GAP)}px`, maxHeight: `${Math.round(below)}px` };
  return { ...across, bottom: `${Math.round(window.innerHeight - button.top + GAP)}px`, maxHeight: `${Math.round(above)}px` };
}
