#include "core/run/next_step.h"

#include <gtest/gtest.h>

namespace glenhaze {
namespace {

ClipPlan clipOf(const std::string& camera, Coverage lens) {
  ClipPlan plan;
  plan.info.width = 320;
  plan.info.height = 180;
  plan.info.model = camera;
  plan.clip.path = plan.info.path = camera + ".mp4";
  plan.lens.kind = lens;
  if (lens == Coverage::Missing) plan.refusal = "no profile";
  return plan;
}
ClipStatus stands(ClipStatus::Kind kind) { return {kind, ""}; }

TEST(NextStep, NamesFirstThenTheCameraWithTheMostClipsThenRenders) {
  const Shoot shoot;
  std::vector<ClipPlan> plans = {clipOf("D3", Coverage::Missing), clipOf("A1", Coverage::Missing),
                                 clipOf("A1", Coverage::Missing), clipOf("", Coverage::Missing),
                                 clipOf("", Coverage::Missing)};
  NextStep step = nextStep(plans, {}, shoot);
  EXPECT_EQ(step.kind, NextStep::Kind::Name);
  EXPECT_EQ(step.text, "Name the camera of 2 clips");
  EXPECT_EQ(step.clip, 3);
  plans.resize(3);
  step = nextStep(plans, {}, shoot);
  EXPECT_EQ(step.kind, NextStep::Kind::MeasureLens);
  EXPECT_EQ(step.text, "Measure the lens of A1");
  EXPECT_EQ(step.clip, 1);
  for (ClipPlan& plan : plans) plan = clipOf(plan.info.model, Coverage::Measured);
  EXPECT_EQ(nextStep(plans, {}, shoot).text, "Render 3 clips");
  using Kind = ClipStatus::Kind;
  EXPECT_EQ(
      nextStep(plans, std::vector{stands(Kind::Rendered), stands(Kind::OutOfDate), stands(Kind::NotRendered)},
               shoot)
          .text,
      "Render 2 clips, 1 of them again");
  EXPECT_EQ(
      nextStep(plans, std::vector{stands(Kind::Rendered), stands(Kind::OutOfDate), stands(Kind::Rendered)},
               shoot)
          .text,
      "Render again 1 clip");
  const NextStep done = nextStep(
      plans, std::vector{stands(Kind::Rendered), stands(Kind::Rendered), stands(Kind::Blocked)}, shoot);
  EXPECT_EQ(done.kind, NextStep::Kind::Done);
}

TEST(NextStep, WhatIsLeftOutCannotBeReadOrIsTakenAsItIsAsksForNothing) {
  const Shoot shoot;
  std::vector<ClipPlan> plans = {clipOf("", Coverage::Missing), clipOf("", Coverage::Missing),
                                 clipOf("A1", Coverage::Missing)};
  plans[0].failed = true;
  plans[1].clip.render = false;
  plans[2].clip.by_itself = true;
  plans[2].refusal = "";
  EXPECT_EQ(nextStep(plans, {}, shoot).text, "Render 1 clip");
  EXPECT_EQ(nextStep({}, {}, shoot).kind, NextStep::Kind::Nothing);
}

}  // namespace
}  // namespace glenhaze
