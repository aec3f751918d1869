#include "core/treat/name_pattern.h"

#include <gtest/gtest.h>

#include "core/run/plan.h"

namespace glenhaze {
namespace {

TEST(NamePattern, SaysWhatAClipHas) {
  const NameFacts facts{"D3_0041", "Skerrel D3", "2031-04-05", "800", 7, 140};
  EXPECT_EQ(nameBy("", facts), "D3_0041");
  EXPECT_EQ(nameBy("{camera} {date} {n}", facts), "Skerrel D3 2031-04-05 007");
  EXPECT_EQ(nameBy("mill-{iso}-{name}", facts), "mill-800-D3_0041");
  EXPECT_EQ(nameBy("{n}", {"a", "", "", "", 3, 4}), "03");
  EXPECT_EQ(nameBy("{date}", {"a", "", "", "", 3, 4}), "unknown");
  EXPECT_EQ(nameBy("..{camera}/x. ", {"a", "A:B", "", "", 1, 1}), "A-B-x") << "what no file name may hold";
  EXPECT_EQ(nameBy("...", facts), "clip");
}

TEST(NamePattern, FaultsAreSaid) {
  EXPECT_EQ(patternFault(""), "");
  EXPECT_EQ(patternFault("{n}-{name}"), "");
  EXPECT_NE(patternFault("{place}").find("{place}"), std::string::npos);
  EXPECT_NE(patternFault("{name"), "");
  EXPECT_NE(patternFault("name}"), "");
  EXPECT_NE(patternFault(std::string(200, 'x')), "");
}

TEST(NamePattern, OfAShootKeepsNamesApart) {
  Shoot shoot;
  shoot.output.folder = "/out";
  shoot.output.name = "{camera} {date}";
  std::vector<ClipInfo> infos(3);
  for (size_t i = 0; i < infos.size(); ++i) {
    infos[i].path = "/in/" + std::to_string(i) + ".mp4";
    infos[i].width = 320, infos[i].height = 180, infos[i].frames = 10;
    infos[i].model = i < 2 ? "A1" : "";
    infos[i].creation_time = i < 2 ? "2031-04-05T06:07:08.000000Z" : "2031:04:06 06:07:08";
    ShootClip clip;
    clip.path = infos[i].path;
    shoot.clips.push_back(clip);
  }
  const auto plans = planShoot(shoot, infos, {});
  EXPECT_EQ(plans[0].job.place.path, "/out/A1 2031-04-05.mp4");
  EXPECT_EQ(plans[1].job.place.path, "/out/A1 2031-04-05-2.mp4");
  EXPECT_EQ(plans[2].job.place.path, "/out/unknown 2031-04-06.mp4");
  EXPECT_EQ(outputFromText(outputToText(shoot.output)).name, "{camera} {date}");
}

}  // namespace
}  // namespace glenhaze
