export { SurveyStation } from './survey';
