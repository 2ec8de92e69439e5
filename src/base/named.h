#pragma once
// One table for each enumeration: its values, their keys in files and commands, their names for people.

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace thicket {

template <class E> struct Named {
    E value;
    const char* key;       ///< "pixel-error"
    const char* name = ""; ///< "Pixel error"; empty where people never read it
};

// An enumeration E takes part by a function `std::span<const Named<E>> namesOf(E)` beside it, all values in it.

template <class E> std::string keyOf(E value) {
    for (const Named<E>& entry : namesOf(E{}))
        if (entry.value == value)
            return entry.key;
    return {};
}
template <class E> std::string nameOf(E value) {
    for (const Named<E>& entry : namesOf(E{}))
        if (entry.value == value)
            return entry.name;
    return {};
}
template <class E> std::optional<E> fromKey(std::string_view key) {
    for (const Named<E>& entry : namesOf(E{}))
        if (key == entry.key)
            return entry.value;
    return std::nullopt;
}
/// "source, collapsed or hand-made", for messages.
template <class E> std::string keyList() {
    std::string out;
    const auto names = namesOf(E{});
    for (std::size_t i = 0; i < names.size(); ++i)
        out += std::string(i == 0 ? "" : i + 1 == names.size() ? " or " : ", ") + names[i].key;
    return out;
}

} // namespace thicket
