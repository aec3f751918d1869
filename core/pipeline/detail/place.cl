R"CL(
// One plane through the one resampling: the mathematics of sample_kernel.cpp for a run of RUN neighbouring
// samples by a group of as many items. What is left of it to the processor: cells that are evaluated pixel by
// pixel. Positions are worked out step by step as there: where one falls between two phases of a kernel, a last
// bit would take the other.
#pragma OPENCL FP_CONTRACT OFF

typedef struct {
  int in_bytes, in_stride, in_width, in_height;  // stride in samples
  int out_bytes, out_width;
  int grid_columns, grid_step, runs;
  float step_x, offset_x;  // of the output's raster, in luma pixels
  float scale_x, scale_y, shift_x, shift_y, low, high_x, high_y;  // luma pixels to source samples
  float gain, max, black;
} Plane;

inline float sampleOf(__global const uchar* in, const Plane* p, int x, int y) {
  const int at = clamp(y, 0, p->in_height - 1) * p->in_stride + clamp(x, 0, p->in_width - 1);
  return p->in_bytes == 1 ? (float)in[at] : (float)((__global const ushort*)in)[at];
}

inline float4 cubicWeights(float t) {
  const float back = t - 1, far = back - 1, ahead = t + 1;
  return (float4)(t * back * (far * (-1.0f / 6)), ahead * back * (far * 0.5f), ahead * t * (far * -0.5f),
                  ahead * t * (back * (1.0f / 6)));
}

// Weight of a tap by the polynomials of its kernel: 4 · 4 even ones, then 4 · 3 odd ones.
inline float fitted(__constant const float* polynomials, int taps, int tap, float u) {
  const int t = tap < taps / 2 ? tap : taps - 1 - tap;
  __constant const float* even = polynomials + 4 * t;
  __constant const float* odd = polynomials + 16 + 3 * t;
  const float s = u * u;
  const float e = fma(fma(fma(even[3], s, even[2]), s, even[1]), s, even[0]);
  const float o = fma(fma(odd[2], s, odd[1]), s, odd[0]);
  return tap < taps / 2 ? fma(o, u, e) : fma(-o, u, e);
}

// Any kernel, from its table of 256 phases; `level`: taps, weights from phase to phase, where they begin.
float tabled(__global const uchar* in, const Plane* p, __global const float* weights, int4 x_level, int4 y_level,
             float x, float y) {
  const int fx = convert_int_rte(x * 256.0f), fy = convert_int_rte(y * 256.0f);
  __global const float* wx = weights + x_level.z + (fx & 255) * x_level.y;
  __global const float* wy = weights + y_level.z + (fy & 255) * y_level.y;
  const int left = (fx >> 8) - x_level.x / 2 + 1, top = (fy >> 8) - y_level.x / 2 + 1;
  float total = 0;
  for (int i = 0; i < x_level.x; ++i) {
    float sum = 0;
    for (int j = 0; j < y_level.x; ++j) sum = fma(sampleOf(in, p, left + i, top + j), wy[j], sum);
    total = fma(sum, wx[i], total);
  }
  return total;
}

__kernel __attribute__((reqd_work_group_size(RUN, 1, 1)))
void place(__global const uchar* in, const Plane plane, __global const float* px, __global const float* py,
           __global const uchar4* cells, __global const uchar2* run_levels, __global const float4* row_weights,
           __global const int* row_cells, __global const float* weights, __constant const int4* levels,
           __constant const float* polynomials, __global uchar* out) {
  const Plane* p = &plane;
  const int lane = get_local_id(0), run = get_group_id(0), y = get_global_id(1);
  const int wanted = run * RUN + lane, i = min(wanted, p->out_width - 1);
  __local float gx[REACH], gy[REACH], xs[RUN], ys[RUN], columns[COLUMNS];

  // The grid's points of this stretch, blended to this row.
  const int row = row_cells[y];
  const float4 w = row_weights[y];
  const float per_cell = 1.0f / p->grid_step;
  const int first_column = clamp((int)floor((p->offset_x + run * RUN * p->step_x) * per_cell) + 1, 1, p->grid_columns - 3) - 1;
  if (lane < REACH && first_column + lane < p->grid_columns) {
    const int at = (row - 1) * p->grid_columns + first_column + lane, n = p->grid_columns;
    gx[lane] = w.x * px[at] + w.y * px[at + n] + w.z * px[at + 2 * n] + w.w * px[at + 3 * n];
    gy[lane] = w.x * py[at] + w.y * py[at + n] + w.z * py[at + 2 * n] + w.w * py[at + 3 * n];
  }
  barrier(CLK_LOCAL_MEM_FENCE);
  const float luma_x = p->offset_x + i * p->step_x;
  const int column = clamp((int)floor(luma_x * per_cell) + 1, 1, p->grid_columns - 3);
  const float4 c = cubicWeights(luma_x * per_cell - (column - 1));
  const int g = column - 1 - first_column;
  float x = fma(c.w, gx[g + 3], fma(c.z, gx[g + 2], fma(c.y, gx[g + 1], c.x * gx[g])));
  float v = fma(c.w, gy[g + 3], fma(c.z, gy[g + 2], fma(c.y, gy[g + 1], c.x * gy[g])));
  x = clamp(x * p->scale_x - p->shift_x, p->low, p->high_x);
  v = clamp(v * p->scale_y - p->shift_y, p->low, p->high_y);
  xs[lane] = x;
  ys[lane] = v;
  barrier(CLK_LOCAL_MEM_FENCE);

  // Along its curve, as far as it is a plain one: the same for all of the group.
  const uchar2 own = run_levels[row * p->runs + run];
  bool smooth = own.x != 255;
  const float left = xs[RUN / 2] - xs[0], right = xs[RUN - 1] - xs[RUN / 2];
  const float slope = (ys[RUN / 2] - ys[0]) / left, slope2 = (ys[RUN - 1] - ys[RUN / 2]) / right;
  const float bend = (slope2 - slope) / (left + right);
  const int x_taps = smooth ? levels[own.x].x : 0, y_taps = smooth ? levels[own.y].x : 0;
  const int first = (int)xs[0] - x_taps / 2 + 1;
  const int count = (int)xs[RUN - 1] + x_taps / 2 + 1 - first;
  smooth = smooth && left >= 1 && right >= 1 && count <= COLUMNS &&
           fmax(fabs(slope), fabs(slope2)) + fabs(slope2 - slope) <= STEEPEST;
  for (int part = 0; part < RUN; part += 16) smooth = smooth && xs[part + 15] - xs[part] <= 32 - 9;
  float value;
  if (smooth) {
    __constant const float* fit = polynomials + 28 * own.y;
    for (int k = lane; k < count; k += RUN) {
      const float at = first + k;
      const float height = fma(at - xs[0], fma(at - xs[RUN / 2], bend, slope), ys[0]);
      const float whole = floor(height), u = height - whole - 0.5f;
      const int top = (int)whole - y_taps / 2 + 1;
      float sum = 0;
      for (int t = 0; t < y_taps; ++t) sum = fma(sampleOf(in, p, first + k, top + t), fitted(fit, y_taps, t, u), sum);
      columns[k] = sum;
    }
    barrier(CLK_LOCAL_MEM_FENCE);
    fit = polynomials + 28 * own.x;
    const float whole = floor(x), u = x - whole - 0.5f;
    const int from = clamp((int)whole - x_taps / 2 + 1 - first, 0, COLUMNS - x_taps);
    value = 0;
    for (int t = 0; t < x_taps; ++t) value = fma(columns[from + t], fitted(fit, x_taps, t, u), value);
  } else {
    const uchar4 cell = cells[row * p->grid_columns + column];
    value = p->black;
    float covered = 1;
    if (cell.z & BORDER) {
      covered = clamp(fmin(x + 1, p->in_width - x), 0.0f, 1.0f) * clamp(fmin(v + 1, p->in_height - v), 0.0f, 1.0f);
    }
    if (!(cell.z & (BLANK | EXACT))) {
      value = tabled(in, p, weights, levels[cell.x], levels[cell.y], x, v);
      value = p->black + (value - p->black) * covered;
    }
  }
  if (wanted >= p->out_width) return;
  const int stored = convert_int_rte(clamp(value * p->gain, 0.0f, p->max));
  const int at = y * p->out_width + i;
  if (p->out_bytes == 1)
    out[at] = (uchar)stored;
  else
    ((__global ushort*)out)[at] = (ushort)stored;
}
)CL"
