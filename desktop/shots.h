#pragma once
// Pictures of every main view, taken from the real window with the demo shoot.

#include <QString>

namespace glenhaze::desktop {

class MainWindow;

/// Leads the window through its views, saves a PNG of each at 1280 × 800 into `folder`, and quits the
/// application; exit status 1 when a view did not settle.
void takeShots(MainWindow& window, const QString& folder);

}  // namespace glenhaze::desktop
