R"CL(
// Noise removal of one plane: the mathematics of block_kernel.cpp, for a block by a group of BLOCK items, each of
// which holds one of its columns. Where the processor takes a shorter way for blocks that agree, all go one way
// here, with the same result: items of a group have to go together.

typedef struct {
  int stride, width, height;  // of planes, with BORDER samples around them
  int columns, rows;          // of blocks
  int neighbours, first_row;
  int knows_shares, others_know;  // the latter a bit for each neighbour
  int has_trust, shrinks;
  int kept, out_bytes;
  float tolerance, mix, forgetting, gain, top;
} Merge;

// Where neighbour n is found for each cell, what it differs by there, and the energy of that on each scale.

inline int2 fractionOf(float at) {
  const float q = at * PHASES + 0.5f;
  int i = (int)q;
  i -= (float)i > q ? 1 : 0;
  return (int2)(i >> 5, i & (PHASES - 1));
}

inline float heldAt(float at, int samples) {
  return fmin(fmax(at, (float)(-BORDER + TAPS)), (float)(samples + BORDER - STEP - TAPS));
}

inline int product15(short w, short v) { return (w * v + (1 << 14)) >> 15; }

#define CELLS_AT_ONCE 8
__kernel __attribute__((reqd_work_group_size(STEP, CELLS_AT_ONCE, 1)))
void merge_cells(const Merge m, int n, __global const short* middle, __global const short* other,
                 __global const float* vectors, __constant const short* taps, __global short* differences,
                 __global float4* energies) {
  const int lane = get_local_id(0), slot = get_local_id(1), row = get_global_id(2);
  const int cells = m.columns + 1, wanted = get_global_id(1), cell = min(wanted, cells - 1);
  const int x = cell * STEP - STEP, y = row * STEP - STEP;
  __local int q[CELLS_AT_ONCE][STEP][STEP];
  __local float partial[CELLS_AT_ONCE][STEP][SCALES];

  __global const float* vector = vectors + 3 * ((n * (m.rows + 1) + row) * cells + cell);
  const int2 fx = fractionOf(heldAt(x + vector[0], m.width)), fy = fractionOf(heldAt(y + vector[1], m.height));
  __global const short* at = other + (fy.x + BORDER) * m.stride + fx.x + BORDER + lane;
  short fetched[STEP];
  if (fx.y == 0 && fy.y == 0) {
    for (int r = 0; r < STEP; ++r) fetched[r] = at[r * m.stride];
  } else {
    short across[STEP + TAPS - 1];
    for (int r = 0; r < STEP + TAPS - 1; ++r) {
      __global const short* from = at + (r - (TAPS / 2 - 1)) * m.stride - (TAPS / 2 - 1);
      int sum = 0;
      for (int k = 0; k < TAPS; ++k) sum += product15(taps[fx.y * TAPS + k], from[k]);
      across[r] = (short)sum;
    }
    for (int r = 0; r < STEP; ++r) {
      int sum = 0;
      for (int k = 0; k < TAPS; ++k) sum += product15(taps[fy.y * TAPS + k], across[r + k]);
      fetched[r] = (short)sum;
    }
  }
  __global const short* here = middle + (y + BORDER) * m.stride + x + BORDER + lane;
  const int pitch = cells * STEP;
  __global short* out = differences + (n * (m.rows + 1) + row) * STEP * pitch + cell * STEP + lane;
  int squares = 0;
  for (int r = 0; r < STEP; ++r) {
    const short d = (short)(fetched[r] - here[r * m.stride]);
    if (wanted < cells) out[r * pitch] = d;
    const int v = d >> 2;  // as there: two bits fewer
    q[slot][r][lane] = v;
    squares += v * v;
  }
  barrier(CLK_LOCAL_MEM_FENCE);
  float two = 0, four = 0, all = 0;
  for (int k = 2 * lane; k < 2 * lane + 2; ++k) {
    const int r = k / 4 * 2, c = k % 4 * 2;
    const float sum = q[slot][r][c] + q[slot][r][c + 1] + q[slot][r + 1][c] + q[slot][r + 1][c + 1];
    two += sum * sum;
  }
  if (lane < 4) {
    int sum = 0;
    for (int r = 0; r < 4; ++r)
      for (int c = 0; c < 4; ++c) sum += q[slot][lane / 2 * 4 + r][lane % 2 * 4 + c];
    four = (float)sum * (float)sum;
    all = (float)sum;
  }
  partial[slot][lane][0] = (float)squares;
  partial[slot][lane][1] = two;
  partial[slot][lane][2] = four;
  partial[slot][lane][3] = all;
  barrier(CLK_LOCAL_MEM_FENCE);
  if (lane > 0 || wanted >= cells) return;
  float4 sum = 0;
  for (int i = 0; i < STEP; ++i)
    sum += (float4)(partial[slot][i][0], partial[slot][i][1], partial[slot][i][2], partial[slot][i][3]);
  const float square = (4.0f / SAMPLE_UNIT) * (4.0f / SAMPLE_UNIT);
  energies[(n * (m.rows + 1) + row) * cells + cell] =
      (float4)(square * sum.x, square / 4 * sum.y, square / 16 * sum.z, square / 64 * sum.w * sum.w);
}

// The cosine transform of 16 values, folded in halves; `cosines`: the matrix.
inline void forwardHalf(float* v, __constant const float* cosines) {
  float s[8], d[8], s4[4], d4[4];
  for (int n = 0; n < 8; ++n) {
    s[n] = v[n] + v[15 - n];
    d[n] = v[n] - v[15 - n];
  }
  for (int n = 0; n < 4; ++n) {
    s4[n] = s[n] + s[7 - n];
    d4[n] = s[n] - s[7 - n];
  }
  for (int f = 0; f < 8; ++f) {
    float sum = 0;
    for (int n = 0; n < 8; ++n) sum = fma(cosines[(2 * f + 1) * BLOCK + n], d[n], sum);
    v[2 * f + 1] = sum;
  }
  for (int f = 0; f < 4; ++f) {
    float sum = 0;
    for (int n = 0; n < 4; ++n) sum = fma(cosines[(4 * f + 2) * BLOCK + n], d4[n], sum);
    v[4 * f + 2] = sum;
  }
  const float a = s4[0] + s4[3], b = s4[1] + s4[2], c = s4[0] - s4[3], e = s4[1] - s4[2];
  v[4] = fma(cosines[4 * BLOCK + 1], e, cosines[4 * BLOCK] * c);
  v[12] = fma(cosines[12 * BLOCK + 1], e, cosines[12 * BLOCK] * c);
  v[0] = cosines[0] * (a + b);
  v[8] = cosines[0] * (a - b);
}

inline void backwardHalf(float* v, __constant const float* cosines) {
  float s4[4], s[8], odd[8];
  const float c0 = cosines[0] * v[0], c8 = cosines[0] * v[8];
  for (int n = 0; n < 2; ++n) {
    const float both = n == 0 ? c0 + c8 : c0 - c8;
    const float d = fma(cosines[12 * BLOCK + n], v[12], cosines[4 * BLOCK + n] * v[4]);
    s4[n] = both + d;
    s4[3 - n] = both - d;
  }
  for (int n = 0; n < 4; ++n) {
    float d = 0;
    for (int f = 0; f < 4; ++f) d = fma(cosines[(4 * f + 2) * BLOCK + n], v[4 * f + 2], d);
    s[n] = s4[n] + d;
    s[7 - n] = s4[n] - d;
  }
  for (int n = 0; n < 8; ++n) {
    float d = 0;
    for (int f = 0; f < 8; ++f) d = fma(cosines[(2 * f + 1) * BLOCK + n], v[2 * f + 1], d);
    odd[n] = d;
  }
  for (int n = 0; n < 8; ++n) {
    v[n] = s[n] + odd[n];
    v[15 - n] = s[n] - odd[n];
  }
}

// Columns become rows. All of a group have to come here.
#define PAD (BLOCK + 1)
inline void turn(float* v, __local float* tile, int lane) {
  barrier(CLK_LOCAL_MEM_FENCE);
  for (int y = 0; y < BLOCK; ++y) tile[y * PAD + lane] = v[y];
  barrier(CLK_LOCAL_MEM_FENCE);
  for (int y = 0; y < BLOCK; ++y) v[y] = tile[lane * PAD + y];
}
inline void forward(float* v, __local float* tile, int lane, __constant const float* cosines) {
  forwardHalf(v, cosines);
  turn(v, tile, lane);
  forwardHalf(v, cosines);
}
inline void backward(float* v, __local float* tile, int lane, __constant const float* cosines) {
  backwardHalf(v, cosines);
  turn(v, tile, lane);
  backwardHalf(v, cosines);
}

// Octave of the coefficient in row y of column x.
inline int bandOf(int x, int y) {
  const int f = max(x, y);
  return f >= 8 ? 4 : f >= 4 ? 3 : f >= 2 ? 2 : f;
}

// Means in each octave of e, of which each item has a column. All of a group have to come here.
inline void meansOf(const float* e, __local float* tile, int lane, float* means) {
  const float count[BANDS] = {1, 3, 12, 48, 192};
  float own[BANDS] = {0, 0, 0, 0, 0};
  for (int y = 0; y < BLOCK; ++y) {
    const int band = bandOf(lane, y);
    for (int b = 0; b < BANDS; ++b) own[b] += b == band ? e[y] : 0;
  }
  barrier(CLK_LOCAL_MEM_FENCE);
  for (int b = 0; b < BANDS; ++b) tile[b * PAD + lane] = own[b];
  barrier(CLK_LOCAL_MEM_FENCE);
  for (int b = 0; b < BANDS; ++b) {
    float sum = 0;
    for (int i = 0; i < BLOCK; ++i) sum += tile[b * PAD + i];
    means[b] = sum / count[b];
  }
}

inline int nearestBlock(float at, int count) { return (int)(fmin(fmax(at, 0.0f), (float)(count - 1)) + 0.5f); }

#define BLOCKS_AT_ONCE 4
__kernel __attribute__((reqd_work_group_size(BLOCK, BLOCKS_AT_ONCE, 1)))
void merge_blocks(const Merge m, __global const short* middle, __global const short* untouched,
                  __global const float* shares, __global const short* differences, __global const float4* energies,
                  __global const float* vectors, __global const float* other_shares, __global const float* trusts,
                  __global const float* variances, __global const float* spectrum, __constant const float4* limits,
                  __global const float* shrink, __constant const float* cosines, __global float* blocks,
                  __global float* kept_shares, __global float* trust_out) {
  __local float tiles[BLOCKS_AT_ONCE][BLOCK * PAD];
  const int lane = get_local_id(0), in_band = get_global_id(2), row = m.first_row + in_band;
  __local float* tile = tiles[get_local_id(1)];
  const int wanted = get_global_id(1), column = min(wanted, m.columns - 1);
  const bool tells = wanted < m.columns && lane == 0;
  const int count_all = m.columns * m.rows, here = row * m.columns + column;
  const int cells = m.columns + 1, pitch = cells * STEP;
  const float known = variances[here], variance = known > 0 ? known : 1;

  const int corner = (row * STEP - STEP + BORDER) * m.stride + column * STEP - STEP + BORDER + lane;
  float s[BLOCK], sum[BLOCK], total[BLOCK], own[BANDS], over[BLOCK];
  for (int y = 0; y < BLOCK; ++y) {
    s[y] = middle[corner + y * m.stride] * (1.0f / SAMPLE_UNIT);
    over[y] = 1 / spectrum[y * BLOCK + lane];
    sum[y] = 0;
    total[y] = 1;
  }
  for (int b = 0; b < BANDS; ++b) own[b] = m.knows_shares ? shares[BANDS * here + b] : 1;

  float agreed = 1, given[BANDS] = {0, 0, 0, 0, 0}, left[BANDS];
  for (int b = 0; b < BANDS; ++b) left[b] = own[b];
  int doubtful = 0;
  for (int n = 0; n < m.neighbours; ++n) {
    const float trust = m.has_trust ? trusts[n * count_all + here] : 1;
    __global const float* vector = vectors + 3 * ((n * (m.rows + 1) + row) * cells + column);
    const int there = nearestBlock(row + vector[1] * (1.0f / STEP), m.rows) * m.columns +
                      nearestBlock(column + vector[0] * (1.0f / STEP), m.columns);
    const bool knows = (m.others_know >> n & 1) != 0;
    float other[BANDS], both[BANDS], most = 0, least = own[0];
    for (int b = 0; b < BANDS; ++b) {
      other[b] = (knows ? other_shares[BANDS * (n * count_all + there) + b] : 1) + m.forgetting;
      both[b] = own[b] + other[b];
      most = fmax(most, other[b]);
      least = fmin(least, own[b]);
    }
    // Whether all that it differs by is noise, at every scale.
    __global const float4* upper = energies + (n * (m.rows + 1) + row) * cells + column;
    const float4 energy = (upper[0] + upper[1]) + (upper[cells] + upper[cells + 1]);
    float4 limit = 0;
    for (int b = 0; b < BANDS; ++b) limit = fma((float4)(variance * both[b]), limits[b], limit);
    const bool agrees = trust >= 1 && all(energy <= limit);

    float d[BLOCK], e[BLOCK], means[BANDS];
    __global const short* difference =
        differences + (n * (m.rows + 1) + row) * STEP * pitch + column * STEP + lane;
    for (int y = 0; y < BLOCK; ++y) d[y] = difference[y * pitch] * (1.0f / SAMPLE_UNIT);
    forward(d, tile, lane, cosines);
    for (int y = 0; y < BLOCK; ++y) e[y] = d[y] * d[y] * over[y];
    meansOf(e, tile, lane, means);

    // As weigh() there.
    const float count[BANDS] = {1, 3, 12, 48, 192}, chance[BANDS] = {1.4142f, 0.8165f, 0.4082f, 0.2041f, 0.1021f};
    float mean = 0, weight[BANDS], most_energy[BANDS];
    for (int b = 0; b < BANDS; ++b) means[b] /= variance * both[b];
    for (int b = 1; b < BANDS; ++b) mean += means[b] * count[b];
    mean /= BLOCK * BLOCK - 1;
    const float block = 1 + 2 * fmax(mean - 1 - 2 * 0.0884f, 0.0f) / m.tolerance;
    for (int b = 0; b < BANDS; ++b) {
      const float unlike = block * (1 + 2.5f * fmax(means[b] - 1 - chance[b], 0.0f) / m.tolerance) - 1;
      weight[b] = trust / (other[b] / own[b] + 0.5f * both[b] / own[b] * unlike);
      most_energy[b] = 8 * m.tolerance * variance * both[b];
    }
    const bool used = trust > 0.02f;
    const float alike = least / most;
    for (int y = 0; y < BLOCK; ++y) {
      const int band = bandOf(lane, y);
      float w = 0, limit_here = 0;
      for (int b = 0; b < BANDS; ++b) {
        w = b == band ? weight[b] : w;
        limit_here = b == band ? most_energy[b] : limit_here;
      }
      w = w * limit_here / fmax(limit_here, e[y]);
      w = !used ? 0 : agrees ? alike : w;
      sum[y] = fma(w, d[y], sum[y]);
      total[y] += w;
    }
    if (used && agrees) {
      agreed += alike;
      for (int b = 0; b < BANDS; ++b) left[b] += alike * alike * other[b];
    } else if (used) {
      ++doubtful;
      for (int b = 0; b < BANDS; ++b) given[b] += weight[b];
    }
    if (tells)
      trust_out[n * count_all + here] = known <= 0 || !used ? 0 : agrees ? trust : trust / block;
  }
  for (int b = 0; b < BANDS; ++b)
    left[b] = doubtful == 0 ? left[b] / (agreed * agreed) : own[b] / (agreed + given[b]);
  if (tells)
    for (int b = 0; b < BANDS; ++b) kept_shares[BANDS * here + b] = known > 0 ? left[b] : 1;

  float c[BLOCK];
  if (!m.shrinks) {
    for (int y = 0; y < BLOCK; ++y) c[y] = sum[y] / total[y];
    backward(c, tile, lane, cosines);
    for (int y = 0; y < BLOCK; ++y) c[y] += s[y];
  } else {
    float noise[BLOCK], e[BLOCK], energy[BANDS], factor[BANDS];
    for (int y = 0; y < BLOCK; ++y) c[y] = s[y];
    forward(c, tile, lane, cosines);
    for (int y = 0; y < BLOCK; ++y) {
      const int band = bandOf(lane, y);
      float share = 0;
      for (int b = 0; b < BANDS; ++b)
        share = b == band ? (doubtful == 0 ? left[b] : own[b] / total[y]) : share;
      c[y] += sum[y] / total[y];
      noise[y] = variance * share * spectrum[y * BLOCK + lane];
      e[y] = c[y] * c[y] / noise[y];
    }
    meansOf(e, tile, lane, energy);
    for (int b = 0; b < BANDS; ++b) factor[b] = 1 / (1 + 0.5f * fmax(energy[b] - 1, 0.0f));
    // The energy around each coefficient: its 3 × 3, itself counting four times.
    barrier(CLK_LOCAL_MEM_FENCE);
    for (int y = 0; y < BLOCK; ++y) tile[y * PAD + lane] = c[y] * c[y];
    barrier(CLK_LOCAL_MEM_FENCE);
    const int left_of = max(lane - 1, 0), right_of = min(lane + 1, BLOCK - 1);
    float across[BLOCK];
    for (int y = 0; y < BLOCK; ++y)
      across[y] = c[y] * c[y] + (tile[y * PAD + left_of] + tile[y * PAD + right_of]);
    for (int y = 0; y < BLOCK; ++y) {
      const int band = bandOf(lane, y);
      float below = 0;
      for (int b = 0; b < BANDS; ++b) below = b == band ? factor[b] * noise[y] : below;
      const float around = (3 * c[y] * c[y] + across[y] + across[max(y - 1, 0)] + across[min(y + 1, BLOCK - 1)]) / 12;
      const float kept = fmax(around - shrink[y * BLOCK + lane] * below, 0.0f);
      // The mean of a block is never touched. What is below was squared before it is overwritten.
      e[y] = lane == 0 && y == 0 ? 1 : kept / fmax(around, 1e-30f);
    }
    for (int y = 0; y < BLOCK; ++y) c[y] *= e[y];
    backward(c, tile, lane, cosines);
  }
  if (wanted >= m.columns) return;
  __global float* out = blocks + (in_band * m.columns + column) * BLOCK * BLOCK + lane;
  for (int y = 0; y < BLOCK; ++y) {
    const float mixed = fma(m.mix, untouched[corner + y * m.stride] * (1.0f / SAMPLE_UNIT) - c[y], c[y]);
    out[y * BLOCK] = known > 0 ? mixed : s[y];
  }
}

// Overlapping blocks added up: sample rows from STEP · first_row on.
__kernel void merge_sums(const Merge m, __global const float* blocks, __global const float* window,
                         __global uchar* out) {
  const int x = get_global_id(0), in_band = get_global_id(1), y = m.first_row * STEP + in_band;
  if (x >= m.width || y >= m.height) return;
  const int column = x / STEP, row = in_band / STEP;  // the first of two each way
  const int dx = x % STEP, dy = in_band % STEP;
  float sum = 0;
  for (int j = 0; j < 2; ++j)
    for (int i = 0; i < 2; ++i) {
      const int at = (dy + (1 - j) * STEP) * BLOCK + dx + (1 - i) * STEP;
      sum = fma(window[at], blocks[((row + j) * m.columns + column + i) * BLOCK * BLOCK + at], sum);
    }
  const int to = y * m.width + x;
  if (m.kept) {
    ((__global short*)out)[to] = (short)(int)(sum * SAMPLE_UNIT + 0.5f);
    return;
  }
  const int value = (int)(fmin(fmax(sum * m.gain, 0.0f), m.top) + 0.5f);
  if (m.out_bytes == 1)
    out[to] = (uchar)value;
  else
    ((__global ushort*)out)[to] = (ushort)value;
}
)CL"
