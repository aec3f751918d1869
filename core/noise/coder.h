#pragma once
// What a lossy coder took of the noise that it was given. A coder keeps steps of coefficients, and what lies
// below about half a step to one step is not kept; how much that is hangs on the encoder, of which only the
// step is known. So two extremes are told: one that codes every picture anew and rounds to the next step, and
// one that codes differences to its own last picture and rounds towards nothing (two thirds beyond the half;
// the dead zone of H.264's reference encoder for predicted pictures, see core/media/coding.h).

namespace glenhaze {

/// Shares of the noise's variance that did not come through, 0..1.
struct TakenByCoder {
  double least = 0, most = 0;
};

/// `left`: the noise's deviation as decoded, `step` the coder's; both in the same codes, step > 0.
TakenByCoder takenByCoder(double left, double step);

}  // namespace glenhaze
