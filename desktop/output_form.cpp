#include "desktop/output_form.h"

#include "core/media/graphics.h"
#include "core/treat/name_pattern.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <array>

namespace glenhaze::desktop {

namespace {

// In the order of the list, behind "as set below".
OutputSettings settingsFor(int use, OutputSettings s) {
  s.encode.bit_rate.reset();
  s.size = {};
  switch (use) {
    case 1:
      s.encode.codec = Codec::H265;
      s.encode.quality = Quality::High;
      break;
    case 2:
      s.encode.codec = Codec::H264;
      s.encode.quality = Quality::Standard;
      s.size = {1920, 1080};
      break;
    case 3:
      s.encode.codec = Codec::ProRes422HQ;
      break;
    default:
      s.encode.codec = Codec::H264;
      s.encode.quality = Quality::Small;
      s.size = {1280, 720};
  }
  return s;
}

// The middle first, then around it.
constexpr std::array<Point, 5> kPlaces = {Point{0, 0}, {0, -1}, {0, 1}, {-1, 0}, {1, 0}};

QStringList placeNames() {
  return {OutputForm::tr("the middle"), OutputForm::tr("the top"), OutputForm::tr("the bottom"),
          OutputForm::tr("the left"), OutputForm::tr("the right")};
}

// −1 for a place between these, as the console can say.
int placeIndex(const Point& place) {
  for (size_t i = 0; i < kPlaces.size(); ++i)
    if (kPlaces[i].x == place.x && kPlaces[i].y == place.y) return static_cast<int>(i);
  return -1;
}

}  // namespace

OutputForm::OutputForm(const OutputSettings& now, QWidget* parent) : QWidget(parent), before_(now) {
  form_ = new QFormLayout(this);
  form_->setContentsMargins(0, 0, 0, 0);
  addFile(now);
  addPicture(now);
  connect(use_, &QComboBox::activated, this, [this](int use) {
    if (use > 0) take(settingsFor(use, settings()));
  });
}

QComboBox* OutputForm::choice(const QString& label, const QStringList& names, int current) {
  auto* box = new QComboBox;
  box->addItems(names);
  box->setCurrentIndex(current);
  if (!label.isEmpty()) form_->addRow(label, box);
  return box;
}

// Two that belong together in one row: the form has to fit small screens.
void OutputForm::addPair(const QString& label, QWidget* left, QWidget* between, QWidget* right) {
  auto* row = new QHBoxLayout;
  row->addWidget(left, 1);
  if (between != nullptr) row->addWidget(between);
  row->addWidget(right, 1);
  form_->addRow(label, row);
}

QSpinBox* OutputForm::number(const QString& label, int most, int value, const QString& suffix,
                             const QString& tip) {
  auto* spin = new QSpinBox;
  spin->setRange(0, most);
  spin->setSuffix(suffix);
  spin->setValue(value);
  spin->setToolTip(tip);
  if (!label.isEmpty()) form_->addRow(label, spin);
  return spin;
}

void OutputForm::addFile(const OutputSettings& now) {
  use_ = choice(tr("Use"),
                {tr("as set below"), tr("to keep: as filmed, fine"), tr("to share: 1080p"),
                 tr("for further work"), tr("small, for the phone")},
                0);
  use_->setToolTip(tr("Sets what is below for a use; each can still be changed"));
  codec_ = choice(tr("Format"),
                  {QStringLiteral("H.264"), QStringLiteral("H.265"), QStringLiteral("ProRes 422 HQ"),
                   QStringLiteral("FFV1 (lossless)"), tr("PNG stills"), tr("TIFF stills"), tr("JPEG stills")},
                  static_cast<int>(now.encode.codec));
  stills_ = choice(tr("Stills and sequences"), {tr("stay what they are"), tr("become films of this format")},
                   now.stills_stay ? 0 : 1);
  quality_ = choice({}, {tr("small files"), tr("standard"), tr("for further work")},
                    static_cast<int>(now.encode.quality));
  rate_ = new QDoubleSpinBox;
  rate_->setRange(0, 2000);
  rate_->setDecimals(1);
  rate_->setSuffix(tr(" Mbit/s"));
  rate_->setSpecialValueText(tr("by quality"));
  rate_->setValue(now.encode.bit_rate ? static_cast<double>(*now.encode.bit_rate) / 1e6 : 0);
  quality_->setAccessibleName(tr("Quality"));
  rate_->setAccessibleName(tr("Bit rate"));
  rate_->setToolTip(tr("A bit rate counts instead of the quality"));
  addPair(tr("Quality, bit rate"), quality_, nullptr, rate_);
  name_ = new QLineEdit(QString::fromStdString(now.name));
  name_->setPlaceholderText(tr("as the clip"));
  name_->setToolTip(
      tr("{name}, {camera}, {date}, {iso} and {n}, which counts the clips, stand for what a clip has; names "
         "that come out twice get a number"));
  form_->addRow(tr("Names"), name_);
  graphics_ = new QCheckBox;
  graphics_->setChecked(now.encode.graphics);
  graphics_->setAccessibleName(tr("Encoded by the graphics card"));
  graphics_->setToolTip(tr(
      "H.264 and H.265 in less time, with more bytes for the same look; where the card fails on the way the "
      "processor takes over and nothing is lost"));
  form_->addRow(tr("Encoded by"), graphics_);
  graphics_->setText(tr("the graphics card"));
  graphics_->setEnabled(false);
  offerGraphics();
  sound_ = choice(tr("Sound"), {tr("kept as it is"), tr("converted to PCM"), tr("left out"), tr("silence")},
                  static_cast<int>(now.encode.sound));
}

// Only what has been tried out here and works; trying takes its time.
void OutputForm::offerGraphics() {
  asking_.run([this](const Progress&) -> Background::Finish {
    const auto found = graphicsEncoder(Codec::H264, PixelFormat{});
    return [this, found] {
      graphics_->setEnabled(found.has_value());
      graphics_->setText(found ? tr("the graphics card, with %1").arg(QString::fromStdString(found->words))
                               : tr("the graphics card: none here encodes"));
    };
  });
}

void OutputForm::addPicture(const OutputSettings& now) {
  width_ = number({}, 16384, now.size.width, {}, tr("Width in pixels"));
  height_ = number({}, 16384, now.size.height, {}, tr("Height in pixels"));
  width_->setAccessibleName(tr("Width"));
  height_->setAccessibleName(tr("Height"));
  for (auto* spin : {width_, height_}) spin->setSpecialValueText(tr("as filmed"));
  addPair(tr("Width, height"), width_, new QLabel(QStringLiteral("×")), height_);
  shape_ = choice(tr("Clips of another shape"),
                  {tr("fill it, cut off the rest"), tr("all of it, with bars"), tr("pixel for pixel")},
                  static_cast<int>(now.shape));
  shape_->setToolTip(tr("How a clip comes into an output that is wider or narrower than it"));
  place_ = choice(tr("Centred on"), placeNames(), placeIndex(now.place));
  place_->setToolTip(tr("Which part is kept where some is cut off, or where it lies between bars"));
  const QString percent = QStringLiteral("\u2009%");
  fill_ = number(tr("Fill the frame"), 100, static_cast<int>(now.fill * 100 + 0.5), percent,
                 tr("0: the whole picture with blank corners; 100: no blank corners"));
  amount_ = number(tr("Lens correction"), 100, static_cast<int>(now.lens_amount * 100 + 0.5), percent,
                   tr("How much of the lens correction is applied"));
}

void OutputForm::take(const OutputSettings& s) {
  codec_->setCurrentIndex(static_cast<int>(s.encode.codec));
  quality_->setCurrentIndex(static_cast<int>(s.encode.quality));
  rate_->setValue(s.encode.bit_rate ? static_cast<double>(*s.encode.bit_rate) / 1e6 : 0);
  width_->setValue(s.size.width);
  height_->setValue(s.size.height);
}

void OutputForm::sayEffect(const std::function<QString(const OutputSettings&)>& effect) {
  auto* said = new QLabel;
  said->setWordWrap(true);
  form_->addRow(said);
  const auto say = [this, said, effect] {
    const std::string fault = patternFault(name_->text().trimmed().toStdString());
    said->setText(fault.empty() ? effect(settings())
                                : QStringLiteral("▲ ") + QString::fromStdString(fault) + QLatin1Char('.'));
  };
  connect(name_, &QLineEdit::textChanged, said, say);
  for (QComboBox* box : {codec_, quality_, sound_, stills_, shape_, place_})
    connect(box, &QComboBox::currentIndexChanged, said, say);
  for (QSpinBox* spin : {width_, height_, fill_, amount_}) connect(spin, &QSpinBox::valueChanged, said, say);
  connect(rate_, &QDoubleSpinBox::valueChanged, said, say);
  connect(graphics_, &QCheckBox::toggled, said, say);
  say();
}

void OutputForm::askFolder(const std::filesystem::path& folder) {
  folder_before_ = folder;
  folder_ = new QLineEdit(QString::fromStdString(folder.string()));
  folder_->setMinimumWidth(360);
  auto* line = new QWidget;
  auto* row = new QHBoxLayout(line);
  row->setContentsMargins(0, 0, 0, 0);
  row->addWidget(folder_, 1);
  auto* choose = new QPushButton(tr("Choose…"));
  choose->setToolTip(tr("The folder that rendered clips go into"));
  connect(choose, &QPushButton::clicked, this, [this] {
    const QString chosen =
        QFileDialog::getExistingDirectory(this, tr("Folder of the rendered clips"), folder_->text());
    if (!chosen.isEmpty()) folder_->setText(chosen);
  });
  row->addWidget(choose);
  form_->insertRow(0, tr("Folder"), line);
}

OutputSettings OutputForm::settings() const {
  OutputSettings o = before_;
  if (folder_ != nullptr && folder_->text().toStdString() != folder_before_.string())
    o.folder = folder_->text().toStdString();
  // A pattern that cannot be used is said below the form, and not taken.
  if (const std::string name = name_->text().trimmed().toStdString(); patternFault(name).empty())
    o.name = name;
  o.encode.codec = static_cast<Codec>(codec_->currentIndex());
  o.stills_stay = stills_->currentIndex() == 0;
  o.encode.quality = static_cast<Quality>(quality_->currentIndex());
  o.encode.sound = static_cast<Sound>(sound_->currentIndex());
  o.encode.graphics = graphics_->isChecked();
  o.encode.bit_rate =
      rate_->value() > 0 ? std::optional<int64_t>(static_cast<int64_t>(rate_->value() * 1e6)) : std::nullopt;
  o.size = width_->value() > 0 && height_->value() > 0 ? PictureSize{width_->value(), height_->value()}
                                                       : PictureSize{};
  o.shape = static_cast<OutputShape>(shape_->currentIndex());
  if (place_->currentIndex() >= 0) o.place = kPlaces[static_cast<size_t>(place_->currentIndex())];
  o.fill = fill_->value() / 100.0;
  o.lens_amount = amount_->value() / 100.0;
  return o;
}

}  // namespace glenhaze::desktop
