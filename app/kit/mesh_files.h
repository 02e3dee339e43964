// Which files are meshes, for dialogs and folders.
#pragma once

#include <QCoreApplication>
#include <QStringList>

namespace arvesk {

inline const QStringList& meshEndings() {
  static const QStringList endings{QStringLiteral("glb"), QStringLiteral("gltf"), QStringLiteral("obj"),
                                   QStringLiteral("ply"), QStringLiteral("stl"),  QStringLiteral("dae"),
                                   QStringLiteral("fbx"), QStringLiteral("3ds")};
  return endings;
}

inline QString meshFilter() {
  QStringList patterns;
  for (const QString& e : meshEndings()) patterns.push_back(QStringLiteral("*.") + e);
  return QCoreApplication::translate("arvesk::KitView", "Meshes (%1);;All files (*)")
      .arg(patterns.join(QLatin1Char(' ')));
}

}  // namespace arvesk
