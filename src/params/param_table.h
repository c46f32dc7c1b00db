// Parameters declared once, as typed handles: what they are, what they start with, and how they are read. A
// wrong id does not compile; a handle of the wrong type, or two of one id, end the program as it starts.
#pragma once
#include <algorithm>
#include <stdexcept>
#include <type_traits>

#include "params/param.h"
#include "params/specs.h"

namespace ovrix::field {
struct Varying;
struct VaryingRange;
struct VaryingColor;
}  // namespace ovrix::field

namespace ovrix::params {

/// Whether reading gives what may differ per element: the parameter may take a field.
template <class T>
constexpr bool kVaries = std::is_same_v<T, field::Varying> || std::is_same_v<T, field::VaryingRange> ||
                         std::is_same_v<T, field::VaryingColor>;

/// What the document holds for a parameter that is read as T: numbers for numbers that vary, the text of a
/// choice for an enum.
template <class T>
struct StoredAs {
    using type = std::conditional_t<std::is_enum_v<T>, std::string, T>;
};
template <>
struct StoredAs<field::Varying> {
    using type = double;
};
template <>
struct StoredAs<field::VaryingRange> {
    using type = Range;
};
template <>
struct StoredAs<field::VaryingColor> {
    using type = Color;
};
template <>
struct StoredAs<V3f> {
    using type = V3d;
};
template <class T>
using Stored = typename StoredAs<T>::type;

/// A parameter by the type that reading it gives. An enum stands for a choice: its values in the order of the
/// choices. Immutable, thread safe.
template <class T>
class Handle {
  public:
    /// Throws std::logic_error where the declaration is of another type, or says otherwise whether it varies.
    Handle(const ParamSpec& spec) : id_(spec.id) {
        const auto* initial = std::get_if<Stored<T>>(&spec.initial);
        if (!initial || kVaries<T> != spec.drivable || (std::is_enum_v<T> && spec.choices.empty()))
            throw std::logic_error("the parameter " + spec.id + " is declared as another type");
        if (std::is_enum_v<T>) choices_ = spec.choices;
        initial_ = *initial;
    }
    const std::string& id() const { return id_; }
    /// Where nothing was set.
    const Stored<T>& initial() const { return initial_; }
    /// The value of an enum that a choice's text stands for; the initial one's for a text that is none.
    T choice(const std::string& text) const requires std::is_enum_v<T> {
        auto at = std::find(choices_.begin(), choices_.end(), text);
        if (at == choices_.end()) at = std::find(choices_.begin(), choices_.end(), initial_);
        return T(at - choices_.begin());
    }
    const std::string& text(T value) const requires std::is_enum_v<T> { return choices_.at(size_t(value)); }

  private:
    std::string id_;
    Stored<T> initial_{};
    std::vector<std::string> choices_;
};

/// The parameters of one type of step, part, source or node, in the order of its card. Declared as a constant
/// whose members are handles:
///     const struct ScatterParams : ParamTable {
///         Handle<int64_t> count = add(whole("count", "Count", 2000, ...));
///     } kScatter;
class ParamTable {
  public:
    ParamTable() = default;
    ParamTable(const ParamTable&) = delete;
    ParamTable& operator=(const ParamTable&) = delete;
    /// Throws std::logic_error on an id that is there.
    ParamSpec add(ParamSpec spec);
    ParamSpec add(Affects what, ParamSpec spec) { return add(specs::affecting(what, std::move(spec))); }
    const std::vector<ParamSpec>& specs() const { return specs_; }

  private:
    std::vector<ParamSpec> specs_;
};

/// The value that was set, without keys or fields; the initial one where it is missing or of another type.
template <class T>
Stored<T> valueIn(const ParamMap& params, const Handle<T>& handle) {
    const auto it = params.find(handle.id());
    const auto* value = it == params.end() ? nullptr : std::get_if<Stored<T>>(&it->second.value);
    return value ? *value : handle.initial();
}

}  // namespace ovrix::params
