#include "desktop/shoot/camera_dialog.h"

#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QPushButton>
#include <functional>

namespace glenhaze::desktop {

namespace {

// How one question about the camera is answered in a profile and by the user.
struct KnownAnswer {
  std::function<std::string(const CameraMode&)> of_profile;
  std::function<std::string(const CameraAnswer&)> of_answer;
};

// What profiles and earlier answers say of one question, each once.
QStringList knownAnswers(const Session& session, const KnownAnswer& known, const QStringList& usual) {
  QStringList all = usual;
  const auto add = [&all](const std::string& text) {
    const QString answer = QString::fromStdString(text).trimmed();
    if (!answer.isEmpty() && !all.contains(answer, Qt::CaseInsensitive)) all << answer;
  };
  for (const Profile& p : session.profiles()) add(known.of_profile(p.camera));
  for (const auto& [kind, answer] : session.shoot().answers) add(known.of_answer(answer));
  for (const ShootClip& clip : session.shoot().clips)
    if (clip.answer) add(known.of_answer(*clip.answer));
  return all;
}

class CameraForm {
 public:
  CameraForm(QFormLayout& form, const Session& session, const ClipPlan& plan, const CameraAnswer& answer);
  CameraAnswer said() const;

 private:
  QComboBox* line(const QString& label, const std::string& value, const QString& hint,
                  const KnownAnswer& known, const QStringList& usual = {});
  QFormLayout& form_;
  const Session& session_;
  QComboBox *camera_, *view_, *lens_, *medium_, *steady_, *sharp_, *denoise_, *tone_;
};

CameraForm::CameraForm(QFormLayout& form, const Session& session, const ClipPlan& plan,
                       const CameraAnswer& answer)
    : form_(form), session_(session) {
  const QString named = QString::fromStdString(cameraNameOf(plan.info));
  camera_ =
      line(QObject::tr("Camera"), answer.camera, named.isEmpty() ? QObject::tr("what you call it") : named,
           {[](const CameraMode& m) { return m.name; }, [](const CameraAnswer& a) { return a.camera; }});
  view_ = line(QObject::tr("View"), answer.view, QObject::tr("field-of-view setting, as the camera calls it"),
               {[](const CameraMode& m) { return m.view; }, [](const CameraAnswer& a) { return a.view; }});
  lens_ = line(QObject::tr("Lens"), answer.lens, QObject::tr("only where it can be changed"),
               {[](const CameraMode& m) { return m.lens; }, [](const CameraAnswer& a) { return a.lens; }});
  medium_ = new QComboBox;
  for (const auto& [text, value] : {std::pair{QObject::tr("air"), "air"},
                                    {QObject::tr("flat port, fresh water"), "flat-port-fresh"},
                                    {QObject::tr("flat port, sea water"), "flat-port-sea"}})
    medium_->addItem(text, QString::fromLatin1(value));
  medium_->setCurrentIndex(std::max(0, medium_->findData(QString::fromStdString(answer.medium))));
  form_.addRow(QObject::tr("Medium"), medium_);
  const auto inCamera = [](std::string InCamera::*field) {
    return KnownAnswer{[field](const CameraMode& m) { return m.in_camera.*field; },
                       [field](const CameraAnswer& a) { return a.in_camera.*field; }};
  };
  steady_ = line(QObject::tr("In-camera stabilization"), answer.in_camera.stabilization,
                 QObject::tr("off, or what the camera calls it"), inCamera(&InCamera::stabilization),
                 {QObject::tr("off")});
  sharp_ = line(QObject::tr("In-camera sharpening"), answer.in_camera.sharpening, {},
                inCamera(&InCamera::sharpening), {QObject::tr("off")});
  denoise_ = line(QObject::tr("In-camera denoising"), answer.in_camera.denoising, {},
                  inCamera(&InCamera::denoising), {QObject::tr("off")});
  tone_ = line(QObject::tr("Tone"), answer.in_camera.tone, QObject::tr("normal, flat"),
               inCamera(&InCamera::tone), {QObject::tr("normal"), QObject::tr("flat")});
}

// What is known already is offered; anything else can be typed.
QComboBox* CameraForm::line(const QString& label, const std::string& value, const QString& hint,
                            const KnownAnswer& known, const QStringList& usual) {
  auto* edit = new QComboBox;
  edit->setEditable(true);
  edit->addItems(knownAnswers(session_, known, usual));
  edit->setCurrentIndex(-1);
  edit->setEditText(QString::fromStdString(value));
  edit->lineEdit()->setPlaceholderText(hint);
  edit->setAccessibleName(label);
  form_.addRow(label, edit);
  return edit;
}

CameraAnswer CameraForm::said() const {
  const auto text = [](const QComboBox* e) { return e->currentText().trimmed().toStdString(); };
  return {text(camera_),
          text(view_),
          medium_->currentData().toString().toStdString(),
          text(lens_),
          {text(steady_), text(sharp_), text(denoise_), text(tone_)}};
}

}  // namespace

std::optional<CameraSaid> askCameraAndMode(QWidget* parent, const Session& session, int clip) {
  const ClipPlan& plan = session.plans()[static_cast<size_t>(clip)];
  QDialog dialog(parent);
  dialog.setWindowTitle(QObject::tr("Camera and mode"));
  auto* form = new QFormLayout(&dialog);
  dialog.setMinimumWidth(520);  // the hints in full
  const CameraForm fields(*form, session, plan, answerOf(session.shoot(), plan.clip, plan.info));
  auto* scope = new QComboBox;
  scope->addItem(QObject::tr("all clips like this one"));
  scope->addItem(QObject::tr("this clip only"));
  scope->setCurrentIndex(plan.clip.answer ? 1 : 0);
  form->addRow(QObject::tr("For"), scope);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  for (QAbstractButton* button : buttons->buttons()) button->setIcon({});
  buttons->button(QDialogButtonBox::Ok)->setText(QObject::tr("Keep these answers"));
  form->addRow(buttons);
  QObject::connect(buttons, &QDialogButtonBox::accepted, &dialog, &QDialog::accept);
  QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
  if (dialog.exec() != QDialog::Accepted) return std::nullopt;
  return CameraSaid{fields.said(),
                    scope->currentIndex() == 1 ? Session::AnswerFor::ThisClip : Session::AnswerFor::AllAlike};
}

}  // namespace glenhaze::desktop
