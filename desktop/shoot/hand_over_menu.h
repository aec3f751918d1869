#pragma once
// What a clip hands to other programs and takes back from them: the straightened plate, and overlays laid
// back onto the clip as filmed.

#include <QObject>
#include <memory>

#include "core/run/hand_over.h"
#include "core/run/show.h"
#include "desktop/background.h"
#include "desktop/session.h"

class QMenu;
class QWidget;

namespace glenhaze::desktop {

class HandOverMenu : public QObject {
  Q_OBJECT
 public:
  /// Dialogs stand before `window`.
  HandOverMenu(Session& session, QWidget* window);
  /// Its lines for this clip.
  void fill(QMenu& menu, int clip);

  enum class As { Rendered, LensAlone };
  struct Choice {
    As as = As::Rendered;
    double room = 0.1;        ///< at each edge; of a plate
    bool first_only = false;  ///< of a plate
    OverlayFiles files;
  };
  void makePlate(int clip, const Choice& choice);
  void layBackOnto(int clip, const Choice& choice);
  /// As glTF, or as a table by the ending .csv; as filmed and as steadied.
  void writePath(int clip, const std::filesystem::path& to);
  /// Before and after in one film or still.
  void show(int clip, const ShowRequest& request);
  bool busy() const { return work_.busy(); }

 Q_SIGNALS:
  /// How it goes, and how it went.
  void said(const QString& text);

 private:
  enum class Kind { Plate, Overlay };
  void ask(int clip, Kind kind);
  void askPath(int clip);
  void askShow(int clip);
  // The clip is never written over.
  Choice ofClip(int clip, Choice choice) const;
  void begin(int clip, const Choice& choice, const QString& doing,
             const std::function<HandedOver(const HandOver&, const ClipPlan&, const Progress&)>& work);

  Session& session_;
  QWidget* window_;
  Background work_;
  QString doing_;
};

}  // namespace glenhaze::desktop
