// What is remembered between runs, behind one typed class.
#pragma once

#include <QByteArray>
#include <QCryptographicHash>
#include <QSettings>
#include <QStringList>

#include <optional>

namespace arvesk {

class Settings {
 public:
  QString theme() const { return m_store.value(QStringLiteral("theme"), QStringLiteral("paper")).toString(); }
  void setTheme(const QString& v) { m_store.setValue(QStringLiteral("theme"), v); }
  /// A code of words.h, or "desktop".
  QString language() const { return m_store.value(QStringLiteral("language"), QStringLiteral("desktop")).toString(); }
  void setLanguage(const QString& v) { m_store.setValue(QStringLiteral("language"), v); }
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
  /// Where a plan was exported to last, and what stood there then; empty for one that was not.
  QString exportPath(const QString& plan) const { return m_store.value(planKey(plan, "export")).toString(); }
  QString exportStamp(const QString& plan) const { return m_store.value(planKey(plan, "export_stamp")).toString(); }
  void setExport(const QString& plan, const QString& path, const QString& stamp) {
    m_store.setValue(planKey(plan, "export"), path);
    m_store.setValue(planKey(plan, "export_stamp"), stamp);
  }
  /// Where a plan's tiles were sent to last; empty for one whose were not.
  QString tilesFolder(const QString& plan) const { return m_store.value(planKey(plan, "tiles")).toString(); }
  void setTilesFolder(const QString& plan, const QString& folder) { m_store.setValue(planKey(plan, "tiles"), folder); }
  /// The latest first.
  QStringList recentColors() const { return m_store.value(QStringLiteral("colors")).toStringList(); }
  void addRecentColor(const QString& color) {
    QStringList list = recentColors();
    list.removeAll(color);
    list.prepend(color);
    while (list.size() > 16) list.removeLast();
    m_store.setValue(QStringLiteral("colors"), list);
  }
  /// The keys that the user gave a command, as portable text; none when it has those it came with.
  std::optional<QStringList> keys(const QString& command) const {
    const QVariant v = m_store.value(QStringLiteral("keys/") + command);
    return v.isValid() ? std::optional<QStringList>(v.toStringList()) : std::nullopt;
  }
  void setKeys(const QString& command, const QStringList& keys) {
    m_store.setValue(QStringLiteral("keys/") + command, keys);
  }
  void forgetKeys(const QString& command) { m_store.remove(QStringLiteral("keys/") + command); }

  /// Folders of sub-plans besides the user's own.
  QStringList libraryFolders() const { return m_store.value(QStringLiteral("library")).toStringList(); }
  void setLibraryFolders(const QStringList& folders) { m_store.setValue(QStringLiteral("library"), folders); }

  /// Folders outside of the plan's own in which its files may look for others.
  QStringList allowedFolders(const QString& plan) const {
    return m_store.value(planKey(plan, "allowed")).toStringList();
  }
  void allowFolder(const QString& plan, const QString& folder) {
    QStringList list = allowedFolders(plan);
    if (!list.contains(folder)) list.push_back(folder);
    m_store.setValue(planKey(plan, "allowed"), list);
  }
  void forgetFolders(const QString& plan) { m_store.remove(planKey(plan, "allowed")); }

 private:
  /// Paths have slashes, which would make groups of groups.
  static QString planKey(const QString& plan, const char* what) {
    const QByteArray name = QCryptographicHash::hash(plan.toUtf8(), QCryptographicHash::Sha1).toHex();
    return QStringLiteral("plans/%1/%2").arg(QString::fromLatin1(name), QLatin1String(what));
  }

  QSettings m_store;  // organization and name are set by main; tests point it to a temporary folder
};

}  // namespace arvesk
