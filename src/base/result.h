#pragma once
// Values or errors at the borders of the program: files, user values, cancelled work.

#include <optional>
#include <string>
#include <utility>
#include <variant>

namespace thicket {

enum class ErrorCode {
    BadInput,    ///< a file or a value from outside is wrong
    NotFound,    ///< a file or a named thing does not exist
    Unwritable,  ///< a file could not be written
    TooLarge,    ///< would need more memory than is sensible; refused before allocation
    CheckFailed, ///< the work was done but a promise does not hold
    Cancelled,   ///< the user stopped it; inputs are as they were
};

/// One failure, in words for a person: `where` names the file or field, `what` is wrong with it, `remedy` says what to
/// do.
struct Error {
    ErrorCode code = ErrorCode::BadInput;
    std::string where;
    std::string what;
    std::string remedy;

    /// "where: what; remedy"
    [[nodiscard]] std::string text() const {
        std::string line = where.empty() ? what : where + ": " + what;
        if (!remedy.empty())
            line += "; " + remedy;
        return line;
    }
};

/// A value or an Error. Members are named as in std::expected, which our compiler's library lacks.
template <class T> class [[nodiscard]] Result {
public:
    Result(T value) : m_state(std::in_place_index<0>, std::move(value)) {}
    Result(Error error) : m_state(std::in_place_index<1>, std::move(error)) {}

    [[nodiscard]] bool has_value() const { return m_state.index() == 0; }
    explicit operator bool() const { return has_value(); }
    T& value() & { return std::get<0>(m_state); }
    const T& value() const& { return std::get<0>(m_state); }
    T&& value() && { return std::get<0>(std::move(m_state)); }
    T& operator*() { return value(); }
    const T& operator*() const { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }
    [[nodiscard]] const Error& error() const { return std::get<1>(m_state); }

private:
    std::variant<T, Error> m_state;
};

template <> class [[nodiscard]] Result<void> {
public:
    Result() = default;
    Result(Error error) : m_error(std::move(error)) {}

    [[nodiscard]] bool has_value() const { return !m_error; }
    explicit operator bool() const { return has_value(); }
    [[nodiscard]] const Error& error() const { return *m_error; }

private:
    std::optional<Error> m_error;
};

inline Error cancelledError() {
    return {ErrorCode::Cancelled, "", "cancelled", ""};
}

} // namespace thicket
