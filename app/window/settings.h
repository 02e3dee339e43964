// What is remembered between runs, behind one typed class.
#pragma once

#include <QByteArray>
#include <QSettings>
#include <QStringList>

#include <optional>

namespace arvesk {

class Settings {
 public:
  QString theme() const { return m_store.value(QStringLiteral("theme"), QStringLiteral("paper")).toString(); }
  void setTheme(const QString& v) { m_store.setValue(QStringLiteral("theme"), v); }
  QByteArray geometry() const { return m_store.value(QStringLiteral("window/geometry")).toByteArray(); }
  QByteArray layout() const { return m_store.value(QStringLiteral("window/layout")).toByteArray(); }
  void setWindow(const QByteArray& geometry, const QByteArray& layout) {
    m_store.setValue(QStringLiteral("window/geometry"), geometry);
    m_store.setValue(QStringLiteral("window/layout"), layout);
  }
  QStringList recentFiles() const { return m_store.value(QStringLiteral("recent")).toStringList(); }
  void addRecentFile(const QString& path) {
    QStringList list = recentFiles();
    list.removeAll(path);
    list.prepend(path);
    while (list.size() > 10) list.removeLast();
    m_store.setValue(QStringLiteral("recent"), list);
  }
  QString exportPath() const { return m_store.value(QStringLiteral("export/path")).toString(); }
  void setExportPath(const QString& v) { m_store.setValue(QStringLiteral("export/path"), v); }
  /// The keys that the user gave a command, as portable text; none when it has those it came with.
  std::optional<QStringList> keys(const QString& command) const {
    const QVariant v = m_store.value(QStringLiteral("keys/") + command);
    return v.isValid() ? std::optional<QStringList>(v.toStringList()) : std::nullopt;
  }
  void setKeys(const QString& command, const QStringList& keys) {
    m_store.setValue(QStringLiteral("keys/") + command, keys);
  }
  void forgetKeys(const QString& command) { m_store.remove(QStringLiteral("keys/") + command); }

 private:
  QSettings m_store;  // organization and name are set by main; tests point it to a temporary folder
};

}  // namespace arvesk
