package account

// LinkPlace stands in the words of a mail for a private link, which is made when the mail
// is handed to the mail server and is kept nowhere.
const LinkPlace = "\x01"
