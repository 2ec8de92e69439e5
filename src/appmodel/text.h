#pragma once
// Between the core's texts and Qt's.

#include "base/text.h"

#include <QString>
#include <cstdint>
#include <filesystem>
#include <string>

namespace thicket::app {

inline QString toText(const std::string& text) {
    return QString::fromStdString(text);
}
/// "1 level", "2 levels", "1,200 levels".
inline QString countText(std::uint64_t count, const char* one, const char* many) {
    return QStringLiteral("%1 %2").arg(toText(grouped(count)), QString::fromUtf8(count == 1 ? one : many));
}
inline std::filesystem::path toPath(const QString& text) {
    return std::filesystem::path(text.toStdString());
}

} // namespace thicket::app
