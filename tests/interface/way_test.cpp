// The way through the work: what is next, what stands still, what is rendered and whether it still holds.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>
#include <QSettings>
#include <QSlider>
#include <QSpinBox>
#include <set>

#include "core/base/files.h"
#include "desktop/bench/scope_view.h"
#include "desktop/compare/plain_controls.h"
#include "desktop/computer_form.h"
#include "desktop/guide_window.h"
#include "desktop/keys_sheet.h"
#include "desktop/output_form.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Way : public Window {
 protected:
  std::string next() {
    const QPushButton* button = window->shootPlace().nextStep();
    return button->isHidden() ? std::string() : button->text().toStdString();
  }
  bool known() {
    return eventually([&] { return !window->session().standings().busy(); });
  }
};

TEST_F(Way, TheNextStepLeadsFromNamingToRenderingAndToWhatIsNew) {
  testing::makeFilm(folder / "one.mp4", [] {
    auto film = testing::smallFilm(8);
    film.make = film.model = "";
    return film;
  }());
  openWithFilm(false);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Name the camera of 1 clip");
  window->session().answer(0, {"Limpet A1", "", "", "", {}}, Session::AnswerFor::ThisClip);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Measure the lens of Limpet A1");
  QTest::mouseClick(window->shootPlace().nextStep(), Qt::LeftButton);
  EXPECT_EQ(window->place(), MainWindow::Bench);
  window->go(MainWindow::Shoot);
  Profile profile = window->session().profileFor(0);
  profile.lens = limpet(320, 180).lens;
  window->session().putProfile(QStringLiteral("lens"), profile);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Render 1 clip");
  QTest::mouseClick(window->shootPlace().nextStep(), Qt::LeftButton);
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "");
  ASSERT_NE(window->session().standings().of(0), nullptr);
  EXPECT_EQ(window->session().standings().of(0)->kind, ClipStatus::Kind::Rendered);
  // One thing is changed: only that is to be made again, and the ledger says why.
  window->session().edit(QStringLiteral("x"), [](Shoot& s) { s.clips[0].fill = 0.5; });
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Render again 1 clip");
  EXPECT_EQ(window->session().standings().of(0)->kind, ClipStatus::Kind::OutOfDate);
  EXPECT_NE(window->session().standings().of(0)->why, "");
  window->session().undoStack().undo();
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "");
}

TEST_F(Way, WhatWasRenderedBeforeIsKnownWhenAShootIsOpened) {
  open(true);
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  const QString file = QString::fromStdString((folder / "s.glenhaze-shoot.json").string());
  window.reset();
  window = std::make_unique<MainWindow>();
  window->show();
  ASSERT_TRUE(window->openPath(file));
  ASSERT_TRUE(eventually([&] { return !window->session().probing(); }));
  ASSERT_TRUE(known());
  EXPECT_EQ(window->session().batch(), nullptr);
  EXPECT_EQ(window->session().standings().of(0)->kind, ClipStatus::Kind::Rendered);
  EXPECT_EQ(next(), "");
}

TEST_F(Way, WhatIsDroppedOrGivenIsTakenAsWhatItIs) {
  open(false);
  Profile given = limpet(320, 180);
  const auto file = folder / "sent by mail.glenhaze.json";
  createProfile(given, file, ExistingProfile::Refuse);
  std::filesystem::create_directory(folder / "card");
  testing::makeFilm(folder / "card" / "new.mp4", testing::smallFilm(2));
  window->takePaths(
      {QString::fromStdString(file.string()), QString::fromStdString((folder / "card").string())});
  ASSERT_TRUE(eventually([&] { return !window->session().probing(); }));
  EXPECT_EQ(window->session().plans().size(), 3U) << "the folder's clip is brought in";
  ASSERT_EQ(window->session().profiles().size(), 1U);
  EXPECT_EQ(window->session().profiles()[0].path.parent_path(), folder / "profiles") << "a copy of its own";
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Measured);
  EXPECT_TRUE(std::filesystem::exists(file));
}

TEST_F(Way, StationsStandStill) {
  open(true);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  const auto placeOf = [&](QWidget* w) { return QRect(w->mapTo(window.get(), QPoint()), w->size()); };
  const auto buttons = [&] {
    QList<QRect> places;
    for (const char* name : {"Lens", "Shutter", "Noise", "Stabilization", "Finish"})
      for (QPushButton* b : bench.findChildren<QPushButton*>())
        if (b->text() == QLatin1String(name) && b->isCheckable() &&
            b->parentWidget()->parentWidget() == &bench)
          places << placeOf(b);
    return places;
  };
  const QList<QRect> stand = buttons();
  ASSERT_EQ(stand.size(), 5);
  QRect picture;
  for (int s = 0; s < BenchPlace::kStations; ++s) {
    bench.setStation(static_cast<BenchPlace::Station>(s));
    QTest::qWait(50);
    EXPECT_EQ(buttons(), stand) << s;
    PictureView* view = nullptr;
    for (PictureView* v : bench.findChildren<PictureView*>())
      if (v->isVisible() && (view == nullptr || v->width() > view->width())) view = v;
    ASSERT_NE(view, nullptr) << s;
    if (s == 0) picture = placeOf(view);
    for (QScrollArea* area : bench.findChildren<QScrollArea*>())
      if (area->isVisible() && area->widgetResizable())
        EXPECT_LE(area->widget()->minimumSizeHint().width(), area->viewport()->width()) << "cut off, " << s;
    EXPECT_EQ(placeOf(view), picture) << s;
  }
}

TEST_F(Way, ThePictureKeepsItsZoomAndFrame) {
  open(true);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  const auto shown = [&]() -> PictureView* {
    for (PictureView* v : bench.findChildren<PictureView*>())
      if (v->isVisible() && !v->pictureSize().isEmpty()) return v;
    return nullptr;
  };
  ASSERT_TRUE(eventually([&] { return shown() != nullptr; }));
  shown()->setZoom(2);
  shown()->centreOn({100, 60});
  const auto slider = [&]() -> QSlider* {
    for (QSlider* s : bench.findChildren<QSlider*>())
      if (s->isVisible()) return s;
    return nullptr;
  };
  slider()->setValue(2);
  bench.setStation(BenchPlace::Noise);
  ASSERT_TRUE(eventually([&] { return shown() != nullptr; }));
  QTest::qWait(100);
  EXPECT_EQ(shown()->zoom(), 2);
  EXPECT_EQ(shown()->centre(), QPointF(100, 60));
  EXPECT_EQ(slider()->value(), 2);
}

TEST_F(Way, ItFitsASmallScreen) {
  open(true);
  for (int place = 0; place < 4; ++place) {
    window->go(static_cast<MainWindow::Place>(place));
    window->resize(1100, 680);
    QTest::qWait(20);
    EXPECT_LE(window->width(), 1100) << place;
    EXPECT_LE(window->height(), 680) << place;
  }
  window->go(MainWindow::Bench);
  for (int s = 0; s < BenchPlace::kStations; ++s) {
    window->benchPlace().setStation(static_cast<BenchPlace::Station>(s));
    QTest::qWait(20);
    EXPECT_LE(window->minimumSizeHint().width(), 1100) << s;
    EXPECT_LE(window->minimumSizeHint().height(), 680) << s;
  }
}

TEST_F(Way, ClipsAreFoundByWordsAndByHowTheyStand) {
  open(true);
  ASSERT_TRUE(known());
  ShootPlace& place = window->shootPlace();
  QLineEdit* find = named<QLineEdit>(place, QStringLiteral("Find clips"));
  QComboBox* only = named<QComboBox>(place, QStringLiteral("Which clips"));
  ASSERT_TRUE(find && only);
  const auto listed = [&] {
    std::string names;
    for (int row = 0; row < place.model().rowCount(); ++row)
      if (const int clip = place.model().clipAt(place.model().index(row)); clip >= 0)
        names += window->session().plans()[static_cast<size_t>(clip)].info.path.stem().string() + " ";
    return names;
  };
  EXPECT_EQ(listed(), "one two ");
  QTest::keyClick(&place, Qt::Key_F, Qt::ControlModifier);
  QTest::keyClicks(find, QStringLiteral("LIMPET on"));
  EXPECT_EQ(listed(), "one ") << "both words, in name or camera";
  find->setText(QStringLiteral("nothing"));
  EXPECT_EQ(listed(), "");
  EXPECT_EQ(place.model().hidden(), 2);
  find->clear();
  only->setCurrentIndex(4);
  EXPECT_EQ(listed(), "two ") << "it was cut off";
  only->setCurrentIndex(2);
  EXPECT_EQ(listed(), "one ");
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  ASSERT_TRUE(known());
  EXPECT_EQ(listed(), "") << "it is rendered";
  window->session().edit(QStringLiteral("x"), [](Shoot& s) { s.clips[0].fill = 0.5; });
  only->setCurrentIndex(3);
  ASSERT_TRUE(known());
  EXPECT_EQ(listed(), "one ");
}

TEST_F(Way, TheFinishSaysHowBrightTheClipIsAndWhatIsClipped) {
  open(true);
  window->go(MainWindow::Bench);
  window->benchPlace().setStation(BenchPlace::Finish);
  FinishStation& finish = window->benchPlace().finish();
  finish.setLook(FinishStation::Look::Clip);
  const auto sum = [&] {
    double all = 0;
    for (const float share : finish.scope().scopes().histogram[3]) all += static_cast<double>(share);
    return all;
  };
  ASSERT_TRUE(eventually([&] { return finish.settled() && sum() > 0.99; }));
  const double before = finish.scope().scopes().at_white;
  window->session().edit(QStringLiteral("x"), [](Shoot& s) {
    s.clips[0].finish.emplace();
    s.clips[0].finish->exposure = 4;
  });
  EXPECT_TRUE(eventually([&] { return finish.scope().scopes().at_white > before + 0.2; }));
  EXPECT_TRUE(finish.scope().clippedText().contains(QLatin1String("at white")));
}

TEST_F(Way, FourPlainControlsSetAClipAndGoBackToTheirMarks) {
  open(true);
  Profile profile = window->session().profileFor(0);
  profile.stabilization.emplace();
  profile.stabilization->settings.smoothing_s = 1.2;
  profile.finish.emplace();
  window->session().putProfile(QStringLiteral("steady"), profile);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  const auto slider = [&](const char* name) {
    return named<MarkedSlider>(compare, QString::fromLatin1(name));
  };
  const auto treatment = [&]() -> const Treatment& {
    return window->session().plans()[0].decision.treatment;
  };
  MarkedSlider *steady = slider("Steadiness"), *crisp = slider("Crispness"), *noise = slider("Noise taken"),
               *crop = slider("Crop at most");
  ASSERT_TRUE(steady && crisp && noise && crop);
  EXPECT_FALSE(noise->isEnabled()) << "there is no curve";
  EXPECT_EQ(steady->mark(), 120);
  EXPECT_EQ(steady->value(), 120);
  steady->setValue(300);
  EXPECT_EQ(treatment().motion->settings.smoothing_s, 3);
  crop->setValue(10);
  EXPECT_NEAR(treatment().motion->settings.crop_limit, 0.1, 1e-9);
  EXPECT_EQ(treatment().motion->settings.smoothing_s, 3) << "the other one stays";
  crisp->setValue(50);
  EXPECT_EQ(treatment().finishing->settings.crisp, 0.5);
  QTest::mouseDClick(steady, Qt::LeftButton);
  EXPECT_EQ(treatment().motion->settings.smoothing_s, 1.2);
  for (int i = 0; i < 4; ++i) window->session().undoStack().undo();
  EXPECT_EQ(treatment().finishing->settings.crisp, 1);
  EXPECT_EQ(crisp->value(), 100);
  // The rest is there when it is asked for.
  QPushButton* more = buttonSaying(compare, QStringLiteral("More settings"));
  ASSERT_NE(more, nullptr);
  QSpinBox* fill = named<QSpinBox>(compare, QStringLiteral("Fill the frame"));
  EXPECT_FALSE(fill->isVisible());
  QTest::mouseClick(more, Qt::LeftButton);
  EXPECT_TRUE(fill->isVisible());
  QTest::mouseClick(more, Qt::LeftButton);
}

TEST_F(Way, OutputsAreSetByTheirUse) {
  OutputSettings now;
  now.encode.codec = Codec::Ffv1;
  OutputForm form(now);
  QStringList said;
  form.sayEffect([&](const OutputSettings& o) {
    said << QString::fromStdString(codecName(o.encode.codec));
    return said.last();
  });
  QComboBox* use = form.findChild<QComboBox*>();
  ASSERT_NE(use, nullptr);
  use->setCurrentIndex(2);
  Q_EMIT use->activated(2);
  EXPECT_EQ(form.settings().encode.codec, Codec::H264);
  EXPECT_EQ(form.settings().size, (PictureSize{1920, 1080}));
  EXPECT_EQ(said.last().toStdString(), "h264");
  Q_EMIT use->activated(3);
  EXPECT_EQ(form.settings().encode.codec, Codec::ProRes422HQ);
  EXPECT_EQ(form.settings().size, PictureSize{});
}

// What else computes here is listed, tried out on demand, and the fastest is picked; kept when it is agreed
// to.
TEST_F(Way, ADeviceIsUsedOnceItIsChosen) {
  const auto devices = computeDevices();
  if (devices.empty()) GTEST_SKIP() << "OpenCL knows no device here";
  const QString id = QString::fromStdString(devices[0].id);
  QSettings().setValue(QStringLiteral("device"), QStringLiteral("place Lantern 9000"));
  EXPECT_EQ(keptDevice().device, nullptr) << "one that is not there is no reason to fail";
  {
    ComputerForm form;
    form.show();
    auto* list = named<QComboBox>(form, QStringLiteral("Noise and resampling by"));
    ASSERT_NE(list, nullptr);
    ASSERT_TRUE(eventually([&] { return list->isEnabled(); }));
    EXPECT_TRUE(list->currentText().contains(QStringLiteral("not here now")))
        << list->currentText().toStdString();
    EXPECT_EQ(list->itemText(0), QStringLiteral("the processor"));
    list->setCurrentIndex(list->findData(QStringLiteral("clean ") + id));
    form.keep();
  }
  const DeviceChoice kept = keptDevice();
  ASSERT_NE(kept.device, nullptr);
  EXPECT_TRUE(kept.cleans);
  EXPECT_FALSE(kept.places);
  ComputerForm form;
  form.show();
  auto* list = named<QComboBox>(form, QStringLiteral("Noise and resampling by"));
  ASSERT_TRUE(eventually([&] { return list->isEnabled(); }));
  EXPECT_EQ(list->currentData().toString(), QStringLiteral("clean ") + id);
  auto* trial = named<QPushButton>(form, QStringLiteral("Try how fast this computer is"));
  ASSERT_NE(trial, nullptr);
  trial->click();
  EXPECT_FALSE(trial->isEnabled());
  EXPECT_EQ(deviceFor(DeviceWork::Place), nullptr) << "other work goes on as it was set";
  // Half a minute of both processors, which other tests may want as well.
  ASSERT_TRUE(QTest::qWaitFor([&] { return trial->isEnabled(); }, 5 * kPatience_ms));
  // The only device of a test is the processor by another way, which is never faster.
  EXPECT_EQ(list->currentData().toString(), QString());
  for (int i = 0; i < list->count(); ++i)
    EXPECT_TRUE(list->itemText(i).contains(QStringLiteral("frames/s"))) << list->itemText(i).toStdString();
  QSettings().remove(QStringLiteral("device"));
}

// A stand-in takes the place of the card.
TEST_F(Way, AGraphicsCardIsOfferedOnceItHasBeenTriedOut) {
  for (const bool works : {false, true}) {
    qputenv("GLENHAZE_GRAPHICS_STAND_IN", works ? "works" : "1");
    OutputForm form(OutputSettings{});
    form.show();
    auto* card = named<QCheckBox>(form, QStringLiteral("Encoded by the graphics card"));
    ASSERT_NE(card, nullptr);
    if (!works) {
      ASSERT_TRUE(eventually([&] { return card->text().contains(QStringLiteral("none here")); }));
      EXPECT_FALSE(card->isEnabled());
      continue;
    }
    ASSERT_TRUE(eventually([&] { return card->isEnabled(); }));
    EXPECT_TRUE(card->text().contains(QStringLiteral("a stand-in")));
    EXPECT_FALSE(form.settings().encode.graphics) << "the processor, unless one says otherwise";
    card->click();
    EXPECT_TRUE(form.settings().encode.graphics);
  }
  qunsetenv("GLENHAZE_GRAPHICS_STAND_IN");
}

TEST_F(Way, AnEmptyWindowSaysWhatToDo) {
  window = std::make_unique<MainWindow>();
  window->show();
  EXPECT_NE(buttonSaying(*window, QStringLiteral("Bring in footage…")), nullptr);
  EXPECT_NE(buttonSaying(*window, QStringLiteral("Open the demonstration")), nullptr);
  QPushButton* guide = buttonSaying(*window, QStringLiteral("Read the guide"));
  ASSERT_NE(guide, nullptr);
  QTest::mouseClick(guide, Qt::LeftButton);
  GuideWindow* shown = window->findChild<GuideWindow*>();
  ASSERT_NE(shown, nullptr);
  EXPECT_TRUE(shown->isVisible());
}

TEST_F(Way, AllKeysAreOnOneSheet) {
  open(true);
  QTest::keyClick(window.get(), Qt::Key_F1);
  KeysSheet* sheet = window->findChild<KeysSheet*>();
  ASSERT_NE(sheet, nullptr);
  const auto says = [&](const char* key, const char* what) {
    return std::any_of(sheet->lines().begin(), sheet->lines().end(), [&](const KeyLine& line) {
      return line.first == QLatin1String(key) && line.second.contains(QLatin1String(what));
    });
  };
  EXPECT_TRUE(says("Ctrl+R", "Render all"));
  EXPECT_TRUE(says("Ctrl+Return", "Put into profile"));
  EXPECT_TRUE(says("Ctrl+.", "Render 1 clip")) << "the next step, as it is now";
  EXPECT_TRUE(says("Alt+5", "Finish"));
  EXPECT_TRUE(says("S", "source"));
  // No key has two meanings.
  std::set<QString> keys;
  for (const KeyLine& line : sheet->lines())
    EXPECT_TRUE(keys.insert(line.first).second) << line.first.toStdString();
}

TEST_F(Way, APlateIsHandedOverAndADrawingLaidBack) {
  open(true);
  HandOverMenu& menu = window->shootPlace().handOver();
  HandOverMenu::Choice choice;
  choice.room = 0.25;
  choice.first_only = true;
  choice.files.to = folder / "handed" / "plate.png";
  menu.makePlate(0, choice);
  ASSERT_TRUE(eventually([&] { return !menu.busy(); }));
  const auto plate = RgbaReader(choice.files.to, AlphaKind::Straight).next();
  ASSERT_TRUE(plate);
  EXPECT_EQ(plate->width, 320 + 160);
  EXPECT_TRUE(window->shootPlace().summary()->text().startsWith(QLatin1String("Written: plate.png")))
      << window->shootPlace().summary()->text().toStdString();
  choice.files.from = choice.files.to;
  choice.files.to = folder / "handed" / "back.png";
  menu.layBackOnto(0, choice);
  ASSERT_TRUE(eventually([&] { return !menu.busy(); }));
  const auto back = RgbaReader(choice.files.to, AlphaKind::Straight).next();
  ASSERT_TRUE(back);
  EXPECT_EQ(back->width, 320);
  // The camera's path where it is worked out, a sentence where it is not.
  menu.writePath(0, folder / "handed" / "path.gltf");
  EXPECT_TRUE(window->shootPlace().summary()->text().contains(QLatin1String("not worked out")));
  Profile profile = window->session().profileFor(0);
  profile.stabilization.emplace();
  window->session().putProfile(QStringLiteral("steady"), profile);
  menu.writePath(0, folder / "handed" / "path.gltf");
  ASSERT_TRUE(eventually([&] { return !menu.busy(); }));
  EXPECT_NE(readFile(folder / "handed" / "path.gltf").find("\"steadied\""), std::string::npos);
  window->session().undoStack().undo();
  // Before and after, for somebody else.
  menu.show(0, {folder / "handed" / "show.mkv", ShowKind::Beside, "before", "after"});
  ASSERT_TRUE(eventually([&] { return !menu.busy(); }));
  EXPECT_EQ(probe(folder / "handed" / "show.mkv").frames, 8)
      << window->shootPlace().summary()->text().toStdString();
  // A name that is taken is refused in words.
  menu.layBackOnto(0, choice);
  ASSERT_TRUE(eventually([&] { return !menu.busy(); }));
  EXPECT_TRUE(window->shootPlace().summary()->text().contains(QLatin1String("exists already")));
}

}  // namespace
}  // namespace glenhaze::desktop
