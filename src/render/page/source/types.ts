// The model that the program writes into a page (page_model.cpp).

/** Numbers as they are, evenly spaced, or packed. */
export type Packed = number[] | { n: number; from: number; step: number } | { n: number; z: string };

/** A line of text laid out by the program: runs of [text, x, rise, size, 1 bold + 2 italic + 4 mathematical]. */
export interface Line {
  w: number;
  a: number;
  d: number;
  runs: [string, number, number, number, number][];
  strokes?: [number, [number, number][]][];
}

export type ScaleKind = "linear" | "log" | "signed_log" | "time";

export interface AxisModel {
  kind: ScaleKind;
  low: number;
  high: number;
  reverse?: boolean;
  count?: boolean;
  hidden?: boolean; // its labels: another panel has them
  minor?: boolean;
  at?: number;
  size?: number;
  label_box?: boolean;
  format?: string;
  fixed?: boolean; // limits that were asked for
  title?: string;
  title_line?: Line;
  ticks?: number[];
  labels?: Line[];
  names?: string[]; // of the places 1, 2, …
  slanted?: boolean;
  broken?: Line[][];
}

export interface Level {
  value: number | null;
  color: string;
  x: Packed;
  y: Packed;
  label?: Line;
}

export type Kind =
  | "line" | "scatter" | "stems" | "boxes" | "region" | "error_bars" | "heatmap" | "contours"
  | "filled_contours" | "arrows" | "surface" | "wireframe";

export interface LayerModel {
  kind: Kind;
  color: string;
  width: number;
  label?: string;
  dash?: string;
  pattern?: "rising" | "falling" | "crossed" | "level" | "upright" | "dotted"; // of an area
  marker?: string;
  size?: number;
  opacity?: number;
  base?: number;
  histogram?: boolean;
  lying?: boolean;
  on_right?: boolean;
  hold?: "around" | "before" | "after"; // of steps
  mesh?: boolean;
  labelled?: boolean;
  focus?: [number, number];
  x_name?: string;
  y_name?: string;
  z_name?: string;
  x_time?: boolean;
  y_time?: boolean;
  z_time?: boolean;
  colors?: { palette: string; low: number; high: number };
  levels?: Level[];
  told?: string;
  x?: Packed;
  y?: Packed;
  z?: Packed;
  left?: Packed;
  right?: Packed;
  low?: Packed;
  high?: Packed;
  values?: Packed;
  pixels?: string; // bytes of red, green, blue and opacity, base64
}

export interface Guide {
  vertical: boolean;
  at: number;
  color: string;
  width: number;
  dash: string;
  from?: number;
  to?: number;
}

export type Box = [x: number, y: number, width: number, height: number];

export interface PanelModel {
  title: string;
  area: Box;
  outer: Box;
  room_left: number;
  room_below: number;
  x: AxisModel;
  y: AxisModel;
  right?: AxisModel; // of the layers on the right axis
  right_labels?: number; // the width that its labels have
  z?: AxisModel;
  space?: { turn: number; tilt: number; middle: [number, number]; scale: number };
  link_x?: number[];
  link_y?: number[];
  grid?: [boolean, boolean];
  frame?: [left: boolean, bottom: boolean, right: boolean, top: boolean];
  guides?: Guide[];
  notes?: [number, number][];
  values?: string; // the title of the bar of colours
  layers: LayerModel[];
  order: number[];
}

export interface Theme {
  name: string;
  paper: string;
  ink: string;
  soft: string;
  grid: string;
  dark: boolean;
  axis_width: number;
  grid_width: number;
  tick_length: number;
  tick_size: number;
  axis_title_size: number;
  legend_size: number;
  line_factor: number;
}

type PowerRun = [text: string, x: number, rise: number, size: number, width: number];

export interface Characters {
  plain: Record<string, number>;
  math: Record<string, number>;
  ascent: number;
  descent: number;
  power: PowerRun[]; // 2×10³
  times: PowerRun[]; // ×10³
  power_ascent: number;
  power_descent: number;
}

export interface Model {
  version: number;
  name: string;
  title: string;
  description: string;
  width: number; // points
  height: number;
  dpi: number;
  theme: Theme;
  texts: Characters;
  panels: PanelModel[];
  palettes: Record<string, string>;
  left_out?: string[];
  budget: number;
}
