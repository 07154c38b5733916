const MARKS = [' ', '.', ':', '-', '=', '+', '*', '#'];

/** A curve in letters, a column for each height. */
export function drawCurve(heights, rows = 8) {
  const [low, high] = [Math.min(...heights), Math.max(...heights)];
  const level = (height) => Math.round(((height - low) / (high - low || 1)) * (rows * MARKS.length - 1));
  const lines = [];
  for (let row = rows - 1; row >= 0; row--)
    lines.push(
      heights.map((height) => MARKS[Math.max(0, Math.min(MARKS.length - 1, level(height) - row * MARKS.length))]).join(''),
    );
  return lines.join('\n');
}
