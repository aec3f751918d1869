#pragma once
// Holds stated uncertainties against truth: of many cases, the truth should lie within one in about two
// thirds, and within three in all.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

namespace glenhaze::testing {

/// The tables of docs/accuracy.md are made of all cases, with GLENHAZE_ALL_CASES in the environment; by
/// default every third is run, of the slowest every sixth, so that all tests are done in reasonable time.
inline bool allCases() { return std::getenv("GLENHAZE_ALL_CASES") != nullptr; }
/// A share that has some of whatever takes turns by twos, threes, fours or fives.
inline bool caseRuns(size_t i, size_t every = 3) { return allCases() || (i + i / every) % every == 0; }

class Believed {
 public:
  explicit Believed(std::string what) : what_(std::move(what)) {}

  void add(const std::string& label, double value, double truth, double stated) {
    cases_.push_back({label, value, truth, stated});
  }
  void addRefused(const std::string& label, const std::string& why) {
    refused_.push_back(label + ": " + why);
  }

  size_t size() const { return cases_.size(); }
  size_t refused() const { return refused_.size(); }
  /// Share of the cases whose error is within `times` the stated uncertainty.
  double shareWithin(double times) const {
    size_t n = 0;
    for (const Case& c : cases_) n += ratioOf(c) <= times ? 1 : 0;
    return cases_.empty() ? 0 : static_cast<double>(n) / static_cast<double>(cases_.size());
  }
  double worst() const {
    double most = 0;
    for (const Case& c : cases_) most = std::max(most, ratioOf(c));
    return most;
  }
  /// Prints the table; at least so many of all cases told, within one in 55 to 85 %, within three in all. Of
  /// a part of the cases, which chance weighs more, in 40 % at least.
  void expectBelieved(size_t least, double least_within = 0.55, size_t every = 3,
                      double most_within = 0.85) const {
    print();
    EXPECT_GE(size(), allCases() ? least : least / every - 1);
    EXPECT_GE(shareWithin(1), allCases() ? least_within : 0.4);
    if (allCases()) EXPECT_LE(shareWithin(1), most_within);
    EXPECT_LE(worst(), 3);
  }
  void print() const {
    double squares = 0;
    for (const Case& c : cases_) {
      std::printf("  %-58s %10.3f truth %10.3f ± %8.3f  off by %5.2f\n", c.label.c_str(), c.value, c.truth,
                  c.stated, ratioOf(c));
      squares += ratioOf(c) * ratioOf(c);
    }
    for (const std::string& r : refused_) std::printf("  refused %s\n", r.c_str());
    std::printf("%s: %zu cases, %.0f %% within one, %.0f %% within two, worst %.2f, RMS %.2f; %zu refused\n",
                what_.c_str(), cases_.size(), 100 * shareWithin(1), 100 * shareWithin(2), worst(),
                std::sqrt(squares / static_cast<double>(std::max<size_t>(1, cases_.size()))),
                refused_.size());
  }

 private:
  struct Case {
    std::string label;
    double value, truth, stated;
  };
  static double ratioOf(const Case& c) { return std::abs(c.value - c.truth) / std::max(1e-12, c.stated); }
  std::string what_;
  std::vector<Case> cases_;
  std::vector<std::string> refused_;
};

}  // namespace glenhaze::testing
