// arvesk-run as a process of its own, and what its tables and tiles hold.
#pragma once

#include "tests/support/support.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>

#include <set>

namespace arvesk::test {

struct Ran {
  int status = -1;
  QString out;
  QString err;
};

inline Ran ended(QProcess& p) {
  p.waitForFinished(900'000);
  return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -1, QString::fromUtf8(p.readAllStandardOutput()),
          QString::fromUtf8(p.readAllStandardError())};
}

inline Ran run(const QStringList& arguments) {
  QProcess p;
  p.start(binPath("arvesk-run"), arguments);
  return ended(p);
}

/// The lines of a CSV after its head; one that comes twice is two.
inline std::multiset<QByteArray> rowsOf(const QString& path) {
  QFile file(path);
  std::multiset<QByteArray> out;
  if (!file.open(QIODevice::ReadOnly)) return out;
  file.readLine();
  while (!file.atEnd()) out.insert(file.readLine());
  return out;
}

inline QJsonObject manifestOf(const QString& folder) {
  QFile file(folder + QStringLiteral("/tiles.json"));
  return file.open(QIODevice::ReadOnly) ? QJsonDocument::fromJson(file.readAll()).object() : QJsonObject();
}

/// The lines of all tiles together.
inline std::multiset<QByteArray> rowsOfTiles(const QString& folder) {
  std::multiset<QByteArray> out;
  for (const QJsonValueRef tile : manifestOf(folder)[QStringLiteral("tiles")].toArray()) {
    const QString file = tile.toObject()[QStringLiteral("file")].toString();
    if (!file.isEmpty()) out.merge(rowsOf(folder + QLatin1Char('/') + file));
  }
  return out;
}

}  // namespace arvesk::test
