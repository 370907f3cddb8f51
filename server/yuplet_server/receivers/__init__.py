"""Links for those who receive packages and have no account: what they see, take and remark."""
