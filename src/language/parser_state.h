// Implementation class of the parser, shared by its files for expressions and statements. Each function
// starts with its grammar rule.
#pragma once

#include "base/restored.h"
#include "language/parser.h"

namespace quill {

inline bool is_assignment(Token id) { return id >= Token::assign && id <= Token::assign_power; }

class Parser {
 public:
  Parser(const SourcePtr& source, Span range);
  Tree run();
  // Parses the whole range as one expression (a hole of a text literal).
  NodePtr run_expression();
  bool unfinished() const { return unfinished_ && !malformed_; }

 private:
  // statements
  NodePtr statements(Token closer);
  NodePtr statement();
  NodePtr simple_statement();
  NodePtr worded_statement();
  // `begin`: start of the statement that the block belongs to.
  NodePtr block(const char* after, std::uint32_t begin);
  NodePtr condition(bool has_block);
  NodePtr if_statement();
  NodePtr for_statement();
  NodePtr while_statement();
  NodePtr return_statement();
  NodePtr define_statement();
  NodePtr section_statement();
  NodePtr given_statement();
  NodePtr use_statement();
  NodePtr drawing_statement(NodeKind kind);
  NodePtr timed_statement();
  NodePtr expect_statement();
  bool is_operand_of(const Lexeme& next) const;
  NodePtr target_of(NodePtr expression);
  void end_of_statement();
  void recover();

  // expressions
  NodePtr expression(int power = 0);
  NodePtr infix(NodePtr left, int power);
  NodePtr comparison(NodePtr left);
  NodePtr range_after(NodePtr first);
  void range_words(Node& range);
  void warn_of_loose_range(const Node& first, const Node& last);
  NodePtr prefix();
  NodePtr postfix(NodePtr base);
  std::string text_of_token(const Lexeme& token) const;
  std::string membership_hint(const std::string& element) const;

  // guesses for error messages (parse_slips.cpp)
  bool begins_statement(std::size_t at) const;
  std::size_t closer(std::size_t opener) const;
  std::string rest_of_line(std::size_t from) const;
  std::string rest_of_argument(std::size_t from) const;
  std::string text_between(std::size_t from, std::size_t to) const;
  std::size_t begin_of_value() const;
  [[noreturn]] void fail_in_brackets(const std::string& wanted);
  [[noreturn]] void fail_between_lines(std::size_t opener, std::size_t close);
  void explain_slip();
  void explain_side_by_side(const Lexeme& before);
  void explain_foreign_word(const Lexeme& before);
  std::size_t operand_begin() const;
  std::size_t operand_end(std::size_t begin) const;
  void explain_choice_behind();
  bool is_keyword_slip() const;
  [[noreturn]] void fail_assigned_in_parentheses(std::uint32_t begin);
  void explain_assign();
  [[noreturn]] void fail_header(const char* after, std::uint32_t begin);
  bool is_block_of_header() const;
  // `:` in place of an operator.
  [[noreturn]] void fail_colon();
  NodePtr number();
  void keep_digits(const Node& node);
  NodePtr text();
  NodePtr name_or_prefix_word();
  NodePtr conditional();
  NodePtr parenthesised();
  NodePtr dictionary();
  NodePtr brackets();
  NodePtr comprehension(NodePtr item, std::uint32_t begin);
  NodePtr generator(const char* where);
  void take_sign_of_body(std::uint32_t begin);
  NodePtr function_literal(std::string name, std::uint32_t begin, std::string prose);
  void arguments(Node& into);
  NodePtr argument();
  NodePtr subscript();

  // tokens
  const Lexeme& tok() const { return tokens_[at_]; }
  const Lexeme& ahead(std::size_t n) const { return tokens_[std::min(at_ + n, tokens_.size() - 1)]; }
  bool is(Token id) const { return tok().id == id; }
  bool is_word(std::string_view word) const { return is(Token::name) && tok().name == word; }
  // A line end before the current token closes the statement.
  bool line_ended() const { return open_ == 0 && tok().line_start; }
  Lexeme take() { return tokens_[is(Token::end) ? at_ : at_++]; }
  bool accept(Token id);
  Lexeme expect(Token id, const std::string& where, std::string hint = {});
  std::uint32_t last_end() const { return at_ == 0 ? tok().span.begin : tokens_[at_ - 1].span.end; }

  template <class... Kids>
  NodePtr make(NodeKind kind, std::uint32_t begin, Kids... kids) {
    auto node = std::make_unique<Node>();
    node->kind = kind;
    (node->kids.push_back(std::move(kids)), ...);
    return finish(std::move(node), begin);
  }
  // Sets the span, up to the last token, and the height.
  NodePtr finish(NodePtr node, std::uint32_t begin);
  [[noreturn]] void fail_token(const std::string& wanted, std::string hint = {});
  [[noreturn]] void fail_span(Span span, std::string message, std::string hint = {});
  void warn(Span span, std::string message, std::string hint = {});

  // Marks the bracket just read as open for the lifetime of the object.
  struct Inside {
    explicit Inside(Parser& parser) : parser(parser), open(parser.open_, parser.open_ + 1) {
      parser.brackets_.push_back(parser.at_ - 1);
    }
    ~Inside() { parser.brackets_.pop_back(); }
    Inside(const Inside&) = delete;
    Inside& operator=(const Inside&) = delete;
    Parser& parser;
    Restored<int> open;
  };

  SourcePtr source_;
  std::vector<Lexeme> tokens_;
  std::vector<Error> errors_;
  std::vector<Error> warnings_;
  bool is_given_up_ = false;
  std::size_t at_ = 0;
  std::size_t statement_begin_ = 0;    // first token of the current statement
  std::size_t resume_ = 0;             // after an error, parsing continues here or later
  std::vector<std::size_t> brackets_;  // tokens of the brackets open in the current block
  int open_ = 0;         // number of open brackets; higher in holes of texts, where line ends do not count
  int index_depth_ = 0;  // enclosing index brackets, where `last` and open ranges are allowed
  int nesting_ = 0;
  int functions_ = 0;  // enclosing functions
  int loops_ = 0;
  int blocks_ = 0;
  bool unfinished_ = false;
  bool malformed_ = false;           // has tokens that further lines cannot repair
  bool in_condition_ = false;        // in the condition of `if` or `while`
  bool subscript_position_ = false;  // directly inside an index bracket
  bool describes_ = false;           // the last text of the statement is a description, not part of the value
};

}  // namespace quill
