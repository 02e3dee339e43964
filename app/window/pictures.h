// Makes the pictures of the documentation from the running application, so that they cannot show what it does not.
#pragma once

#include <QApplication>

namespace arvesk {

/// Opens `plan`, goes through the main views and saves a PNG of each in `folder`; with `only`, just that one. Returns
/// the exit status.
int makePictures(QApplication& app, const QString& plan, const QString& folder, const QString& only);

}  // namespace arvesk
