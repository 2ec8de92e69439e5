#pragma once
// Between the core's texts and Qt's.

#include <QString>
#include <filesystem>
#include <string>

namespace thicket::app {

inline QString toText(const std::string& text) {
    return QString::fromStdString(text);
}
inline std::filesystem::path toPath(const QString& text) {
    return std::filesystem::path(text.toStdString());
}

} // namespace thicket::app
