import { StepPages } from '../../ui/StepPages';
import { InStepPage } from './InStepPage';
import { NamesPage } from './NamesPage';
import { PastPage } from './PastPage';
import { PlanPage } from './PlanPage';
import { ProjectPage } from './ProjectPage';
import { RecipePage } from './RecipePage';
import type { HandOverPage, StepProps } from './useHandingOver';
import { handOverStep as words } from './words';

const PAGES: readonly { value: HandOverPage; label: string }[] = [
  { value: 'plan', label: words.plan },
  { value: 'recipe', label: words.recipe },
  { value: 'names', label: words.names },
  { value: 'past', label: words.history },
  { value: 'in-step', label: words.watchedFile },
  { value: 'project', label: words.project },
];

/** What will be written and by which recipe, one action, and what came of it. */
export function HandOverStep(props: StepProps) {
  const { handing } = props;
  return (
    <>
      <StepPages pages={PAGES} page={handing.page} onPage={handing.setPage} />
      {handing.page === 'plan' && <PlanPage {...props} />}
      {handing.page === 'recipe' && <RecipePage {...props} />}
      {handing.page === 'names' && <NamesPage {...props} />}
      {handing.page === 'past' && <PastPage {...props} />}
      {handing.page === 'in-step' && <InStepPage {...props} />}
      {handing.page === 'project' && <ProjectPage {...props} />}
    </>
  );
}
