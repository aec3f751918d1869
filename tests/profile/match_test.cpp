#include "core/profile/match.h"

#include <gtest/gtest.h>

#include "tests/support/footage.h"

namespace glenhaze {
namespace {

Profile profileOf(const std::string& name, int w, int h, const std::string& view,
                  const std::string& medium = "air") {
  Profile p;
  p.camera.name = name;
  p.camera.width = w;
  p.camera.height = h;
  p.camera.fps = Rational{30, 1};
  p.camera.view = view;
  p.camera.medium = medium;
  LensPart part;
  part.lens = testing::testLens(LensModel::KannalaBrandt, w, h);
  p.lens = part;
  return p;
}

ClipInfo clipOf(const std::string& make, const std::string& model, int w, int h, Rational fps = {30, 1}) {
  ClipInfo c;
  c.make = make;
  c.model = model;
  c.width = w;
  c.height = h;
  c.fps = c.nominal_fps = fps;
  c.frames = 10;
  return c;
}

TEST(Match, SameCameraAndModeWhateverTheCaseAndTheMake) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1280, 720, "very wide")};
  for (const ClipInfo& clip : {clipOf("Limpet", "A1", 1280, 720), clipOf("", "limpet a1", 1280, 720),
                               clipOf("LIMPET", "Limpet A1", 1280, 720)}) {
    const ProfileMatch match = matchProfile(clip, {}, profiles);
    EXPECT_EQ(match.kind, MatchKind::Exact) << match.reason;
    EXPECT_EQ(match.lens, profiles[0].lens->lens);
    EXPECT_NE(match.reason.find("taken as very wide"), std::string::npos);
  }
}

TEST(Match, AnotherSizeOfTheSameShapeIsBorrowedAndScaled) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1920, 1080, "wide")};
  const ProfileMatch match = matchProfile(clipOf("Limpet", "A1", 1280, 720), {}, profiles);
  EXPECT_EQ(match.kind, MatchKind::Borrowed);
  EXPECT_EQ(match.lens, scaledLens(profiles[0].lens->lens, 1280, 720));
  EXPECT_NE(match.reason.find("scaled"), std::string::npos);
}

TEST(Match, AnotherRateIsBorrowedUnscaled) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1280, 720, "wide")};
  const ProfileMatch match = matchProfile(clipOf("Limpet", "A1", 1280, 720, {60, 1}), {}, profiles);
  EXPECT_EQ(match.kind, MatchKind::Borrowed);
  EXPECT_EQ(match.lens, profiles[0].lens->lens);
}

TEST(Match, AnotherShapeViewMediumOrCameraIsNotCarriedOver) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1280, 720, "wide")};
  CameraAnswer narrow;
  narrow.view = "narrow";
  CameraAnswer sea;
  sea.medium = "flat-port-sea";
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 960), {}, profiles).kind, MatchKind::None);
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 720), narrow, profiles).kind, MatchKind::None);
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 720), sea, profiles).kind, MatchKind::None);
  const ProfileMatch other = matchProfile(clipOf("Tern", "P2", 1280, 720), {}, profiles);
  EXPECT_EQ(other.kind, MatchKind::None);
  EXPECT_NE(other.reason.find("Tern P2"), std::string::npos);
  EXPECT_NE(matchProfile(clipOf("", "", 1280, 720), {}, profiles).reason.find("does not say"),
            std::string::npos);
}

TEST(Match, AHousingsProfileIsNotUsedUnasked) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1280, 720, "wide", "flat-port-sea")};
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 720), {}, profiles).kind, MatchKind::None);
  CameraAnswer sea;
  sea.medium = "flat-port-sea";
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 720), sea, profiles).kind, MatchKind::Exact);
}

TEST(Match, ATieIsSaidInsteadOfGuessed) {
  const std::vector<Profile> profiles = {profileOf("Limpet A1", 1280, 720, "wide"),
                                         profileOf("Limpet A1", 1280, 720, "narrow")};
  const ProfileMatch tie = matchProfile(clipOf("Limpet", "A1", 1280, 720), {}, profiles);
  EXPECT_EQ(tie.kind, MatchKind::None);
  EXPECT_NE(tie.reason.find("Say which"), std::string::npos);
  CameraAnswer narrow;
  narrow.view = "Narrow";
  EXPECT_EQ(matchProfile(clipOf("Limpet", "A1", 1280, 720), narrow, profiles).profile, 1);
}

TEST(Match, AssigningScalesWhereTheShapeIsTheSame) {
  const Profile profile = profileOf("Limpet A1", 1920, 1080, "wide");
  EXPECT_EQ(assignProfile(clipOf("X", "Y", 960, 540), profile, 3).kind, MatchKind::Assigned);
  EXPECT_EQ(assignProfile(clipOf("X", "Y", 960, 540), profile, 3).profile, 3);
  EXPECT_EQ(assignProfile(clipOf("X", "Y", 540, 960), profile, 3).kind, MatchKind::None);
}

}  // namespace
}  // namespace glenhaze
