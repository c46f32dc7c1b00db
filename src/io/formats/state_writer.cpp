#include "io/formats/state_writer.h"

namespace ovrix::io {

StateWriter::~StateWriter() {
    try {
        finish();
    } catch (...) {  // whoever stops before the end has another error to tell
    }
}

void StateWriter::add(std::function<void()> write, std::function<void()> then) {
    finish();
    writing_ = std::async(std::launch::async, std::move(write));
    then_ = std::move(then);
}

void StateWriter::finish() {
    if (!writing_.valid()) return;
    writing_.get();
    if (const auto then = std::exchange(then_, {})) then();
}

}  // namespace ovrix::io
