#include "lab/formats/toml_text.hpp"

#include <cctype>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/text_encoding.hpp"

namespace rt::lab {
namespace {

constexpr std::string_view byte_order_mark = "\xEF\xBB\xBF";

class Readable {
  public:
    Readable(std::string_view text, const std::string& file) : text_(text), file_(file) {
        if (text_.starts_with(byte_order_mark)) at_ = byte_order_mark.size();
        for (; at_ < text_.size(); ++at_) look();
        out_ += text_.substr(taken_);
    }

    std::string text() && { return std::move(out_); }

  private:
    void look() {
        const char c = text_[at_];
        if (c == '\r' && next() != '\n')
            fail("not valid TOML: a carriage return without a line feed; end lines with a line feed");
        if (c == '\n') {
            ++line_, dots_ = 0, remark_ = false, begins_ = true;
            if (!long_) quote_ = 0;
        }
        if (remark_) return;
        if (quote_) return look_in_text(c);
        if (c == '"' || c == '\'') {
            // In the middle of a word it begins no text, and what stands behind it is none.
            if (at_ > 0 && std::string_view(" \t\n=,[{.\xBF").find(text_[at_ - 1]) == std::string_view::npos)
                fail("not valid TOML: a quotation mark where no text can begin");
            quote_ = c;
            long_ = text_.substr(at_, 3) == std::string(3, c);
            if (long_) at_ += 2;
        } else if (c == '#') {
            remark_ = true;
        } else if (static_cast<unsigned char>(c) >= 0x80) {
            fail("not valid TOML: letters beyond ASCII stand in quotes: name = \"Mühle\"");
        }
        if (c == '[' && begins_ && open_.empty()) require_name();
        if (c == '.') ++dots_;
        if (c == '=' || c == ',') dots_ = 0;
        if (c == '[' || c == '{') open_ += c;
        if ((c == ']' || c == '}') && !open_.empty()) {
            if (open_.back() != (c == ']' ? '[' : '{'))
                fail("not valid TOML: " + std::string(1, c) + " ends what begins with " + open_.back());
            open_.pop_back();
        }
        if (c != ' ' && c != '\t' && c != '\n' && c != '\r') begins_ = false;
        constexpr int most = 64;
        if (dots_ > most || open_.size() > most) {
            fail("more than " + std::to_string(most) +
                 (dots_ > most ? " parts of a key" : " brackets in one another") +
                 ": no such file has so many");
        }
    }

    void look_in_text(char c) {
        if (c == '\\' && quote_ == '"') {
            if (long_ && blank(next())) return carry_on();
            if (next() != '\n') ++at_;
            return;
        }
        if (c != quote_) return;
        if (long_ && text_.substr(at_, 3) != std::string(3, c)) return;
        if (long_) at_ += 2;
        // Up to two more stand before the end of a long text.
        for (int more = 0; long_ && more < 2 && next() == c; ++more) ++at_;
        quote_ = 0, long_ = false;
    }

    // A line that ends in a backslash: what stands first on the next one, where it is beyond ASCII, is
    // written as the escape that says the same.
    void carry_on() {
        std::size_t at = at_ + 1;
        while (at < text_.size() && blank(text_[at])) ++at;
        for (std::size_t i = at_ + 1; i < at; ++i) {
            if (text_[i] == '\r' && (i + 1 == text_.size() || text_[i + 1] != '\n'))
                return;  // told by look()
            if (text_[i] == '\n') ++line_;
        }
        at_ = at - 1;
        const auto [code, length] = letter_at(text_, at);
        if (length == 0) return;
        out_ += text_.substr(taken_, at - taken_);
        out_ += "\\U" + hex(code, 8);
        taken_ = at + length;
        at_ = taken_ - 1;
    }

    static bool blank(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }

    // Behind the bracket, or both, of a table's name.
    void require_name() const {
        std::size_t at = at_ + 1;
        if (at < text_.size() && text_[at] == '[') ++at;
        while (at < text_.size() && (text_[at] == ' ' || text_[at] == '\t')) ++at;
        if (at == text_.size()) return;  // told below
        const auto c = static_cast<unsigned char>(text_[at]);
        if (std::isalnum(c) || std::string_view("-_\"']").find(text_[at]) != std::string_view::npos) return;
        fail("not valid TOML: a section's name is expected behind [");
    }

    char next() const { return at_ + 1 < text_.size() ? text_[at_ + 1] : '\0'; }
    [[noreturn]] void fail(const std::string& why) const {
        fail_input(file_ + ":" + std::to_string(line_), why);
    }

    std::string_view text_;
    const std::string& file_;
    std::string out_;
    std::size_t at_ = 0, taken_ = 0;
    int line_ = 1, dots_ = 0;
    std::string open_;  // brackets that have not ended
    char quote_ = 0;
    bool long_ = false, remark_ = false, begins_ = true;
};

}  // namespace

std::string readable_toml(std::string_view text, const std::string& file) {
    return Readable(text, file).text();
}

std::string in_ascii(std::string_view text, int choice) {
    std::size_t at = text.starts_with(byte_order_mark) ? byte_order_mark.size() : 0;
    std::string out(text.substr(0, at));
    bool any = false;
    while (at < text.size()) {
        const auto [code, length] = letter_at(text, at);
        if (length == 0) {
            out += text[at++];
            continue;
        }
        out += static_cast<char>('a' + (choice == 0 ? code : code / 26) % 26);
        at += length, any = true;
    }
    return any ? out : std::string();
}

}  // namespace rt::lab
