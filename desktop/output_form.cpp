#include "desktop/output_form.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QSpinBox>

namespace glenhaze::desktop {

OutputForm::OutputForm(const OutputSettings& now, QWidget* parent) : QWidget(parent), before_(now) {
  form_ = new QFormLayout(this);
  form_->setContentsMargins(0, 0, 0, 0);
  const auto choice = [&](const QString& label, const QStringList& names, int current) {
    auto* box = new QComboBox;
    box->addItems(names);
    box->setCurrentIndex(current);
    form_->addRow(label, box);
    return box;
  };
  codec_ = choice(tr("Format"),
                  {QStringLiteral("H.264"), QStringLiteral("H.265"), QStringLiteral("ProRes 422 HQ"),
                   QStringLiteral("FFV1 (lossless)"), tr("PNG stills"), tr("TIFF stills"), tr("JPEG stills")},
                  static_cast<int>(now.encode.codec));
  quality_ = choice(tr("Quality"), {tr("small files"), tr("standard"), tr("for further work")},
                    static_cast<int>(now.encode.quality));
  rate_ = new QDoubleSpinBox;
  rate_->setRange(0, 2000);
  rate_->setDecimals(1);
  rate_->setSuffix(tr(" Mbit/s"));
  rate_->setSpecialValueText(tr("by quality"));
  rate_->setValue(now.encode.bit_rate ? static_cast<double>(*now.encode.bit_rate) / 1e6 : 0);
  form_->addRow(tr("Bit rate"), rate_);
  sound_ = choice(tr("Sound"), {tr("kept as it is"), tr("converted to PCM"), tr("left out")},
                  static_cast<int>(now.encode.sound));
  const auto number = [&](const QString& label, int most, int value, const QString& suffix,
                          const QString& tip) {
    auto* spin = new QSpinBox;
    spin->setRange(0, most);
    spin->setSuffix(suffix);
    spin->setValue(value);
    spin->setToolTip(tip);
    form_->addRow(label, spin);
    return spin;
  };
  width_ = number(tr("Width"), 16384, now.size.width, {}, {});
  height_ = number(tr("Height"), 16384, now.size.height, {}, {});
  for (auto* spin : {width_, height_}) spin->setSpecialValueText(tr("as filmed"));
  const QString percent = QStringLiteral("\u2009%");
  fill_ = number(tr("Fill the frame"), 100, static_cast<int>(now.fill * 100 + 0.5), percent,
                 tr("0: the whole picture with blank corners; 100: no blank corners"));
  amount_ = number(tr("Lens correction"), 100, static_cast<int>(now.lens_amount * 100 + 0.5), percent,
                   tr("How much of the lens correction is applied"));
}

void OutputForm::askFolder(const std::filesystem::path& folder) {
  folder_before_ = folder;
  folder_ = new QLineEdit(QString::fromStdString(folder.string()));
  folder_->setMinimumWidth(360);
  form_->insertRow(0, tr("Folder"), folder_);
}

OutputSettings OutputForm::settings() const {
  OutputSettings o = before_;
  if (folder_ != nullptr && folder_->text().toStdString() != folder_before_.string())
    o.folder = folder_->text().toStdString();
  o.encode.codec = static_cast<Codec>(codec_->currentIndex());
  o.encode.quality = static_cast<Quality>(quality_->currentIndex());
  o.encode.sound = static_cast<Sound>(sound_->currentIndex());
  o.encode.bit_rate =
      rate_->value() > 0 ? std::optional<int64_t>(static_cast<int64_t>(rate_->value() * 1e6)) : std::nullopt;
  o.size = width_->value() > 0 && height_->value() > 0 ? PictureSize{width_->value(), height_->value()}
                                                       : PictureSize{};
  o.fill = fill_->value() / 100.0;
  o.lens_amount = amount_->value() / 100.0;
  return o;
}

}  // namespace glenhaze::desktop
