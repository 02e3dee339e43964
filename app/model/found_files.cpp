#include "app/model/found_files.h"

#include "core/plan/plan_paths.h"

#include <QDir>
#include <QFileInfo>

namespace arvesk {

std::map<std::string, std::string> foundBeside(const std::string& path, const QString& file,
                                               const std::vector<std::string>& others) {
  std::map<std::string, std::string> found{{path, file.toStdString()}};
  for (const std::string& other : others) {
    const QString beside = QFileInfo(file).absoluteDir().filePath(QFileInfo(QString::fromStdString(other)).fileName());
    if (QFileInfo::exists(beside)) found.try_emplace(other, beside.toStdString());
  }
  return found;
}

void relink(PlanModel& model, const QString& folder, const std::map<std::string, std::string>& found) {
  if (found.empty()) return;
  model.edit(QObject::tr("Find files"), [&](Plan& plan) {
    changePaths(plan, [&](std::string& path) {
      const auto it = found.find(path);
      if (it == found.end()) return;
      const QString file = QString::fromStdString(it->second);
      path = (folder.isEmpty() ? file : QDir(folder).relativeFilePath(file)).toStdString();
    });
  });
}

}  // namespace arvesk
